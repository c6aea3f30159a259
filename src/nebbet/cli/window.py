"""Opening the window; kept apart, so that the other verbs never load Qt."""

# Nothing that is made while the program starts is garbage: looking for it among all the modules
# would take a tenth of the start. application.run turns the collector on again.
import gc

gc.disable()

import os
from collections.abc import Callable
from pathlib import Path

import click

from nebbet.cli.doorway import Doorway, Wanted, enter
from nebbet.cli.whom import Whom, whom
from nebbet.core.addresses import Address
from nebbet.core.errors import NebbetError
from nebbet.core.message.received import LARGEST
from nebbet.core.sentences import said
from nebbet.desktop import application
from nebbet.desktop.window import Window
from nebbet.library.disk import read_file
from nebbet.personal.home import Home, find_home, home_in
from nebbet.personal.secrets import KeyringSecrets, SessionSecrets
from nebbet.standin import demo


def open_window(home: Home, wanted: Wanted | None = None) -> int:
    """Open the window on a person's own home, or bring forward the one that is open on it."""
    return _open(home, wanted, lambda prepare: application.run(home, KeyringSecrets(), prepare))


def _open(home: Home, wanted: Wanted | None, run: Callable[[Callable[[Window], None]], int]) -> int:
    taken = enter(home, wanted)
    if taken is None:
        click.echo(said("Nebbet was open already: its window has come to the front."))
        return 0

    def prepare(window: Window) -> None:
        doorway = Doorway(window, home, take_up)
        if wanted is not None:
            doorway.want(wanted)

    with taken:
        return run(prepare)


def demo_home(*, colleague: bool = False) -> Home:
    """The demo's folder: NEBBET_HOME, or one beside the person's own, never the same. The demo's
    lead and its colleague are two people, each with a home beside the other's."""
    own = find_home(os.environ)
    whole = own.data if os.environ.get("NEBBET_HOME") else own.data.parent / "nebbet-demo"
    return home_in(whole.with_name(f"{whole.name}-colleague") if colleague else whole)


def open_demo(
    *, keep: bool, colleague: bool = False, prepare: Callable[[Window], None] | None = None
) -> int:
    """Prepare the demo with its mail service and open the window on it."""
    home = demo_home(colleague=colleague)
    me = demo.ME if colleague else demo.LEAD

    def run(let_in: Callable[[Window], None]) -> int:
        def whole(window: Window) -> None:
            let_in(window)
            if prepare:
                prepare(window)

        service = demo.prepare_demo(home, application.local_now(), keep=keep, me=me)
        try:
            secrets = SessionSecrets(demo.passwords_of(demo.demo_settings(home)))
            return application.run(home, secrets, whole, "colleague" if colleague else None)
        finally:
            service.stop()

    return _open(home, None, run)


def take_up(window: Window, wanted: Wanted) -> None:
    """Do what a start was for, once the library is open."""
    if wanted.message:
        _show_message(window, Path(wanted.message))
    elif wanted.prepared is not None:
        window.write_prepared(wanted.prepared)
    else:
        _begin(window, wanted)


def read_message(path: Path) -> bytes:
    """A message in a file. Raises NebbetError where it cannot be read."""
    return read_file(path, f"The message {path}", largest=LARGEST)


def _show_message(window: Window, path: Path) -> None:
    try:
        data = read_message(path)
    except NebbetError as error:
        window.notices.fail(error)
        return
    window.go(window.letters)
    window.letters.arriving.open_file(data, path.name)


def _begin(window: Window, wanted: Wanted) -> None:
    """Begin the letter that was asked for."""
    shared, letters = window.session.shared, window.letters
    template = wanted.template

    def done(found: Whom) -> None:
        person = found.person
        window.go(letters)
        letters.begin.empty()
        if person and not person.contact.is_on_file:
            letters.begin.to_address(Address(person.contact.name, person.contact.email))
            person = None
        letters.begin.address(person, found.matter)
        known = shared.catalogue.templates.get(template)
        if known is None and template:
            keys = shared.search.templates(template).keys
            known = shared.catalogue.templates[keys[0]] if keys else None
        if known is not None:
            letters.model.start_over(known)
            letters.paper.go_on()
        else:
            letters.pull()
        if found.wrong:
            window.notices.fail(found.wrong[0])

    shared.people.ask(lambda people: whom(people, wanted.to, wanted.case), done)

"""Where a verb works: the person's home, their library, the clock."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from secrets import token_hex

import click
from msgspec import Struct

from nebbet.cli.options import home
from nebbet.core.errors import NebbetError
from nebbet.library.catalogue import Catalogue, seen_by
from nebbet.library.holdings import Template
from nebbet.library.search import make_finder
from nebbet.library.store import Library, open_library
from nebbet.library.writing import Writer
from nebbet.personal.open_letters import answers
from nebbet.personal.secrets import KeyringSecrets
from nebbet.personal.settings import Settings, own_addresses, read_settings
from nebbet.personal.stores import reached, without_password
from nebbet.personal.tables import open_personal


def local_now() -> datetime:
    """The moment, with this machine's time zone."""
    return datetime.now().astimezone()


class Chance(Struct, frozen=True):
    """What differs from one run to the next; a test gives its own."""

    now: Callable[[], datetime] = local_now
    token: Callable[[], str] = lambda: token_hex(12)


def chance(ctx: click.Context) -> Chance:
    """What the run was given, or the clock and chance itself."""
    return ctx.find_object(Chance) or Chance()


class Here(Struct, frozen=True):
    """An open library as the person at this computer sees it."""

    library: Library
    settings: Settings
    catalogue: Catalogue

    def writer(self, moment: datetime) -> Writer:
        """The person at this computer at a moment, with the answers they gave last time."""
        own = home().personal_file
        known = answers(open_personal(own)) if own.exists() else {}
        me = self.catalogue.members.get(self.settings.member)
        return Writer(moment, me, known, own=frozenset(own_addresses(self.settings.accounts)))

    def template(self, words: str, now: datetime) -> Template:
        """The template of an id, or the best one that the words find. Raises NebbetError."""
        if words in self.catalogue.templates:
            return self.catalogue.templates[words]
        found = make_finder(self.catalogue, now).templates.search(words).keys
        if not found:
            raise NebbetError(
                f"No template is called “{words}”", advice="nebbet find shows what there is"
            )
        return self.catalogue.templates[found[0]]


def open_here(now: datetime) -> Here:
    """Open the library of the person at this computer. Raises NebbetError."""
    where, secrets = home(), KeyringSecrets()
    settings = without_password(where, read_settings(where.settings_file), secrets)
    path = reached(where, settings, secrets)
    if isinstance(path, Path) and not path.exists():
        raise NebbetError(
            f"There is no library at {path}",
            advice="Open the window once, or set NEBBET_HOME to the folder that has one",
        )
    library = open_library(path)
    return Here(library, settings, seen_by(library.catalogue(now), settings.member))

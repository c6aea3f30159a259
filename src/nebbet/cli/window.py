"""Opening the window; kept apart, so that the other verbs never load Qt."""

# Nothing that is made while the program starts is garbage: looking for it among all the modules
# would take a tenth of the start. application.run turns the collector on again.
import gc

gc.disable()

import os
from collections.abc import Callable

from nebbet.desktop import application
from nebbet.desktop.window import Window
from nebbet.personal.home import Home, find_home, home_in, take_home
from nebbet.personal.secrets import KeyringSecrets, SessionSecrets
from nebbet.standin import demo


def open_window(home: Home) -> int:
    """Open the window on a person's own home."""
    with take_home(home):
        return application.run(home, KeyringSecrets())


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
    with take_home(home):
        service = demo.prepare_demo(home, application.local_now(), keep=keep, me=me)
        user = demo.demo_settings(home).account.user
        try:
            secrets = SessionSecrets({user: demo.PASSWORD})
            return application.run(home, secrets, prepare, "colleague" if colleague else None)
        finally:
            service.stop()

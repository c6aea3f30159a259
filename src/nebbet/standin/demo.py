"""Setting up the demo in a home of its own: library, mailboxes, settings."""

import shutil
from collections.abc import Callable, Iterable, Mapping
from datetime import datetime
from pathlib import Path
from typing import Protocol

from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.core.records import Member
from nebbet.personal.home import Home, make_home
from nebbet.personal.settings import Account, Settings, read_settings, write_settings
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.process import ServiceProcess
from nebbet.standin.team import (
    CLAIMS,
    CLAIMS_USER,
    PASSENGERS,
    SEASON_TICKETS,
    read_members,
)

PASSWORD = "demo"
ME, LEAD = "benedek.roy", "ottilie.marsh"
_MADE = ("library.sqlite*", "personal.sqlite*", SEASON_TICKETS)
_MARK = "made by nebbet demo.txt"


class Service(Protocol):
    """A mail service: in this process or in one of its own."""

    def start(self) -> None:
        """Start it."""

    def stop(self) -> None:
        """End it."""

    def account(self, user: str) -> Account:
        """How a user reaches it."""


def passwords(members: Iterable[Member]) -> dict[str, str]:
    """The mailboxes of the stand-in and their passwords."""
    users = [*(member.email for member in members), CLAIMS_USER, CATCH_ALL]
    return dict.fromkeys(users, PASSWORD)


def prepare_demo(
    home: Home,
    now: datetime,
    *,
    keep: bool = False,
    past: bool = True,
    me: str = ME,
    service_of: Callable[[Path, Mapping[str, str]], Service] = ServiceProcess,
) -> Service:
    """Make the demo for one of its people, fresh or kept from last time, and start its mail
    service.

    Only a home that an earlier demo made is ever cleared. Raises NebbetError for a home that holds
    somebody's own library: marked as the demo's, it would be cleared by the next demo.
    """
    _refuse_foreign(home)
    if not keep:
        clear_demo(home)
    make_home(home)
    (home.data / _MARK).write_text("This folder is cleared when the demo starts anew.\n", "utf-8")
    members = read_members()
    service = service_of(home.mail_folder, passwords(members))
    service.start()
    if not home.library_file.exists():
        from nebbet.standin.filling import make_library  # brings the database along

        make_library(home.library_file, home.mail_folder, now, past=past)
    _settle(home, service, members, me)
    return service


def _refuse_foreign(home: Home) -> None:
    if home.library_file.exists() and not (home.data / _MARK).exists():
        raise NebbetError(
            f"The folder {home.data} holds a library that no demo made",
            kept="It was not touched",
            advice="Set NEBBET_HOME to another folder for the demo",
        )


def clear_demo(home: Home) -> None:
    """Remove what an earlier demo made; anything else stays."""
    if not (home.data / _MARK).exists():
        return
    for folder in (home.mail_folder, home.data / PASSENGERS):
        shutil.rmtree(folder, ignore_errors=True)
    for pattern in (*_MADE, home.settings_file.name):
        for path in home.data.glob(pattern):
            path.unlink()


def _settle(home: Home, service: Service, members: Iterable[Member], me: str) -> None:
    """Point the settings at the service: its ports are new at every start."""
    settings = read_settings(home.settings_file)
    me = settings.member or me
    address = next(member.email for member in members if member.id == me)
    claims = replace(service.account(CLAIMS_USER), froms=(CLAIMS,))
    settings = replace(settings, member=me, account=service.account(address), more=(claims,))
    write_settings(home.settings_file, settings)


def passwords_of(settings: Settings) -> dict[str, str]:
    """The passwords of the mailboxes that the demo's settings name."""
    return dict.fromkeys((account.user for account in settings.accounts), PASSWORD)


def demo_settings(home: Home) -> Settings:
    """The settings of a prepared demo."""
    return read_settings(home.settings_file)

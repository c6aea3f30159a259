"""A mail service, a library and a personal file for the tests of the post."""

import multiprocessing
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from pathlib import Path

import pytest
from sqlalchemy import Engine

from nebbet.core import body
from nebbet.core.body import Frame
from nebbet.core.letter import Letter
from nebbet.core.message.compose import compose
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.records import Contact, Member
from nebbet.library.entries import Registered
from nebbet.library.store import Library, open_library
from nebbet.personal.items import Item
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import Account
from nebbet.personal.tables import open_personal
from nebbet.post.delivering import Office
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.service import MailService
from tests.conftest import NOW

ME = "benedek.roy@lislesound.example"
PASSWORDS = {ME: "secret", CATCH_ALL: "catch"}


@pytest.fixture
def service(tmp_path: Path) -> Iterator[MailService]:
    made = MailService(tmp_path / "mail", PASSWORDS)
    made.start()
    yield made
    made.stop()


@pytest.fixture
def personal(tmp_path: Path) -> Iterator[Engine]:
    engine = open_personal(tmp_path / "personal.sqlite")
    yield engine
    engine.dispose()


@pytest.fixture
def library(tmp_path: Path) -> Iterator[Library]:
    opened = open_library(tmp_path / "library.sqlite")
    yield opened
    opened.close()


@dataclass
class Clock:
    """A clock that a test moves."""

    seconds: float = field(default_factory=NOW.timestamp)

    def __call__(self) -> float:
        return self.seconds


@pytest.fixture
def clock() -> Clock:
    return Clock()


@pytest.fixture
def office(personal: Engine, library: Library, service: MailService, clock: Clock) -> Office:
    account = service.account(ME)
    return Office(personal, library, account, SessionSecrets(PASSWORDS), clock)


@pytest.fixture
def item(hanna: Contact, me: Member, token: Callable[[], str]) -> Item:
    return make_item(hanna, me, token, "l1")


def make_item(hanna: Contact, me: Member, token: Callable[[], str], letter_id: str) -> Item:
    letter = Letter(
        letter_id,
        subject=("Your refund",),
        body=body.read("<p>Dear Hanna,</p><p>.dots and ümlauts</p>"),
        bcc=("boss@lislesound.example",),
        recipient=hanna,
    )
    files = EncodedFiles(lambda _file: b"")
    outgoing = compose(letter, me, now=NOW, token=token, frame=Frame(), files=files)
    entry = Registered(
        outgoing.message_id, NOW, me.id, hanna.email, hanna.name, title="Refund agreed"
    )
    return Item(letter_id, letter, outgoing, entry)


fork = multiprocessing.get_context("fork")


def _serve(folder: Path, line: Connection) -> None:
    """The mail service in a process of its own; it is told over the line what goes wrong next."""
    service = MailService(folder, PASSWORDS)
    service.start()
    line.send(service.account(ME))
    while (faults := line.recv()) is not None:
        for name, value in faults.items():
            setattr(service.faults, name, value)
        line.send(True)
    service.stop()


@pytest.fixture
def apart(tmp_path: Path) -> Iterator[tuple[Connection, Account]]:
    """The mail service in a process of its own, and how it is told what goes wrong."""
    here, there = fork.Pipe()
    server = fork.Process(target=_serve, args=(tmp_path / "mail", there))
    server.start()
    yield here, here.recv()
    here.send(None)
    server.join()

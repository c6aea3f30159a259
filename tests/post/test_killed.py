"""Letters go while the program is killed at any moment and the server misbehaves: none is lost,
none goes twice, and one is unsure only where the server's answer was cut off.

NEBBET_KILLS sets how often it is killed (50; 1,000 for the whole trial).
"""

import email
import mailbox
import os
import random
import signal
import sqlite3
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from multiprocessing.connection import Connection
from pathlib import Path

import pytest

from nebbet.core import body
from nebbet.core.body import Frame
from nebbet.core.letter import Letter
from nebbet.core.message.compose import compose
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.records import Contact, Member
from nebbet.library.entries import Registered
from nebbet.library.register import latest
from nebbet.library.store import open_library
from nebbet.personal import outbox
from nebbet.personal.items import Item
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import Account
from nebbet.personal.tables import open_personal
from nebbet.post.delivering import Office, deliver_due
from nebbet.standin.ports import CATCH_ALL
from tests.conftest import NOW
from tests.post.conftest import ME, PASSWORDS, fork

KILLS = int(os.environ.get("NEBBET_KILLS", "50"))
NOBODY = "nobody@post.example"
HOUR = 3600.0


def _written(letter_id: str, address: str) -> Item:
    letter = Letter(
        letter_id, subject=("Your refund",), body=body.read("<p>Dear Hanna,</p>"),
        recipient=Contact(letter_id, email=address),
    )  # fmt: skip
    me = Member("m1", "Benedek", "Roy", ME)
    outgoing = compose(
        letter, me, now=NOW, token=lambda: letter_id, frame=Frame(),
        files=EncodedFiles(lambda _file: b""),
    )  # fmt: skip
    entry = Registered(outgoing.message_id, NOW, me.id, address, "Hanna", title="Refund agreed")
    return Item(letter_id, letter, outgoing, entry)


def _work(folder: Path, account: Account, turn: int, out: Connection) -> None:
    """Write letters and let them go, until killed; each that is in the outbox is told."""
    office = _office(folder, account, turn)
    outbox.recover(office.personal)  # as a start does
    count = 0
    while True:
        name = f"l{turn}x{count}"
        address = NOBODY if count % 5 == 4 else f"{name}@post.example"
        outbox.enqueue(office.personal, _written(name, address), 0.0)
        out.send(name)
        deliver_due(office)
        count += 1


def _office(folder: Path, account: Account, turn: int) -> Office:
    """What delivering needs; each turn is some hours after the one before: pauses are over."""
    personal = open_personal(folder / "personal.sqlite")
    library = open_library(folder / "library.sqlite")
    began = turn * 3 * HOUR
    return Office(personal, library, account, SessionSecrets(PASSWORDS), lambda: began)


def _killed(folder: Path, account: Account, turn: int, after: float) -> list[str]:
    """Let a process work, kill it, and return the letters that it told of."""
    here, there = fork.Pipe(duplex=False)
    child = fork.Process(target=_work, args=(folder, account, turn, there))
    child.start()
    there.close()
    time.sleep(after)
    assert child.pid is not None and child.is_alive(), "it has to work until it is killed"
    os.kill(child.pid, signal.SIGKILL)
    child.join()
    told = []
    try:
        while True:
            told.append(here.recv())
    except (EOFError, OSError):
        return told


def _cut(folder: Path) -> int:
    """How many letters are unsure because the line was cut, and not because of a kill."""
    line = sqlite3.connect(folder / "personal.sqlite")
    (count,) = line.execute(
        "SELECT count(*) FROM outbox WHERE state = 'uncertain' AND words LIKE 'The line was cut%'"
    ).fetchone()
    line.close()
    return int(count)


def said_by(folder: Path) -> Counter[str]:
    """How many messages with each Message-ID a mailbox has."""
    found = mailbox.Maildir(folder, create=False)
    return Counter(
        str(email.message_from_bytes(found.get_bytes(k))["Message-ID"]) for k in found.iterkeys()
    )


@pytest.mark.logs
@pytest.mark.timeout(600 + KILLS)
def test_killed_while_letters_go(tmp_path: Path, apart: tuple[Connection, Account]) -> None:
    line, account = apart

    def misbehave(chance: random.Random) -> bool:
        drop = chance.choice(["", "", "", "before", "after"])
        faults = {
            "refuse": {NOBODY}, "drop": drop, "busy": chance.choice([0, 0, 0, 421, 451]),
            "slow": chance.choice([0.0, 0.0, 0.02]),
        }  # fmt: skip
        line.send(faults)
        return bool(line.recv()) and drop == "after"

    told = kill_over_and_over(tmp_path, account, misbehave)
    line.send({"drop": "", "busy": 0, "slow": 0.0})
    assert line.recv()
    with the_rest(tmp_path, account) as office:
        taken = said_by(tmp_path / "mail" / CATCH_ALL)
        is_whole(office, tmp_path, told, taken, said_by(tmp_path / "mail" / ME / ".Sent"))


def kill_over_and_over(
    folder: Path, account: Account, begin: Callable[[random.Random], bool]
) -> list[str]:
    """Let letters go and kill who sends them, KILLS times; returns the letters that were told of.
    begin is called before each turn, and says whether answers may be cut off in it."""
    chance, told, cut = random.Random(5), [], 0
    open_personal(folder / "personal.sqlite").dispose()
    open_library(folder / "library.sqlite").close()
    for turn in range(KILLS):
        may_cut = begin(chance)
        told += _killed(folder, account, turn, chance.uniform(0.1, 0.8))
        before, cut = cut, _cut(folder)
        assert cut == before or may_cut, "unsure only where the answer was cut off"
    return told


@contextmanager
def the_rest(folder: Path, account: Account) -> Iterator[Office]:
    """The office after the last kill, when everything went that can."""
    office = _office(folder, account, KILLS)
    outbox.recover(office.personal)
    while any(e.state != "refused" for e in deliver_due(office) if e.due <= office.now()):
        pass
    yield office
    office.personal.dispose()
    office.library.close()


def is_whole(
    office: Office, folder: Path, told: list[str], taken: Counter[str], filed: Counter[str]
) -> None:
    """Nothing is lost, nothing went twice, and every place says the same. taken is what the server
    took, filed what lies in the folder of sent ones: how many of each Message-ID."""
    states = ("held", "waiting", "sending", "refused", "uncertain", "sent", "gone")
    entries = {e.item.id: e for e in outbox.queued(office.personal, states)}
    assert {*told} <= entries.keys(), "what was in the outbox is there"
    assert not taken or max(taken.values()) == 1, "nothing went twice"
    by_state: dict[str, list[str]] = {}
    for entry in entries.values():
        by_state.setdefault(entry.state, []).append(entry.item.outgoing.message_id)
    assert by_state.keys() <= {"gone", "refused", "uncertain"}
    gone, unsure = by_state.get("gone", []), by_state.get("uncertain", [])
    assert len(gone) > KILLS / 5
    assert all(taken[one] == 1 for one in gone)
    assert not any(taken[one] for one in by_state.get("refused", []))
    assert len(unsure) - _cut(folder) <= KILLS, "a kill leaves one letter unsure, or none"
    kept = Counter(entry.message_id for entry in latest(office.library.engine))
    assert {*kept} <= {*gone} and (len(kept) == len(gone) or len(gone) > 2000)
    assert filed == Counter(gone)
    went = sum(taken[one] for one in unsure)
    print(
        f"{KILLS:,} kills: {len(told):,} letters told of, {len(entries):,} in the outbox, "
        f"{len(gone):,} gone, {len(by_state.get('refused', [])):,} refused, "
        f"{len(unsure):,} unsure, of which {went:,} had gone"
    )

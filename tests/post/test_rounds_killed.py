"""A round goes on where it was, however often what sends it is killed: nobody gets two, nobody is
left out.

NEBBET_KILLS sets how often it is killed (12; 500 for the whole trial).
"""

import os
import random
import signal
import time
from collections import Counter
from multiprocessing.connection import Connection
from pathlib import Path

import pytest

from nebbet.core.rounds.pacing import Pace
from nebbet.library.round_ledger import went
from nebbet.library.store import open_library
from nebbet.personal import outbox
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import Account
from nebbet.personal.tables import open_personal
from nebbet.post.delivering import Office, deliver_due
from nebbet.standin.filling import fill_library
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.world import read_world
from tests.conftest import NOW
from tests.post.conftest import PASSWORDS, fork
from tests.post.test_killed import said_by
from tests.post.test_rounds import begin, book, source_of

KILLS = int(os.environ.get("NEBBET_KILLS", "12"))
SIMPLE = "dogs-and-bicycles"  # it needs no case
ROWS = 60 if KILLS < 100 else 200
HOUR = 3600.0


def _table() -> bytes:
    """A row for each of many who are on no file."""
    return book([(f"r{n}@post.example", f"Person {n}") for n in range(ROWS)], ("Mail", "Name"))


def _office(folder: Path, account: Account, turn: int) -> Office:
    personal = open_personal(folder / "personal.sqlite")
    library = open_library(folder / "library.sqlite")
    moment = NOW.timestamp() + turn * 2 * HOUR
    return Office(personal, library, account, SessionSecrets(PASSWORDS), lambda: moment)


def _work(folder: Path, account: Account, turn: int, data: bytes) -> None:
    """Start the round and let it go, as `nebbet round --go` does, until killed."""
    office = _office(folder, account, turn)
    outbox.recover(office.personal)
    source = source_of(office.library, data, template_id=SIMPLE)
    begin(office.personal, office.library, source, pace=Pace(HOUR))
    while True:
        deliver_due(office)
        time.sleep(0.01)


@pytest.mark.logs
@pytest.mark.timeout(600 + 2 * KILLS)
def test_killed_while_a_round_goes(tmp_path: Path, apart: tuple[Connection, Account]) -> None:
    line, account = apart
    library = open_library(tmp_path / "library.sqlite")
    fill_library(library, read_world(NOW.date()), NOW)
    library.close()
    open_personal(tmp_path / "personal.sqlite").dispose()
    data, chance = _table(), random.Random(7)
    for turn in range(KILLS):
        line.send({
            "busy": chance.choice([0, 0, 0, 421, 451]), "slow": chance.choice([0.0, 0.0, 0.03]),
            "drop": chance.choice(["", "", "", "before", "after"]),
        })  # fmt: skip
        assert line.recv()
        child = fork.Process(target=_work, args=(tmp_path, account, turn, data))
        child.start()
        time.sleep(chance.uniform(0.2, 1.2 if ROWS < 100 else 2.4))
        assert child.pid is not None and child.is_alive()
        os.kill(child.pid, signal.SIGKILL)
        child.join()
    line.send({"busy": 0, "slow": 0.0, "drop": ""})
    assert line.recv()
    office = _office(tmp_path, account, 2 * KILLS + ROWS)
    outbox.recover(office.personal)
    source = source_of(office.library, data, template_id=SIMPLE)
    begin(office.personal, office.library, source, pace=Pace(HOUR))
    while any(entry.due <= office.now() for entry in deliver_due(office)
              if entry.state not in ("refused", "uncertain")):  # fmt: skip
        pass
    taken = said_by(tmp_path / "mail" / CATCH_ALL)
    assert not taken or max(taken.values()) == 1, "nobody gets two"
    by_state = Counter(e.state for e in outbox.queued(office.personal, _EVERY))
    ledger = went(office.library.engine, "round1")
    of_row = {e.item.row: e for e in outbox.queued(office.personal, _EVERY)}
    source = source_of(office.library, data, template_id=SIMPLE)
    due = {f"r{row.number}" for row in source.table.rows}
    assert due <= of_row.keys(), "nobody is left out"
    for key, entry in of_row.items():
        told = entry.item.outgoing.message_id
        if entry.state == "gone":
            assert taken[told] == 1 and ledger[key].message_id == told, "the page tells the truth"
        else:
            assert entry.state == "uncertain" and key in ledger
    unsure = by_state["uncertain"]
    had_gone = sum(taken[e.item.outgoing.message_id] for e in of_row.values()
                   if e.state == "uncertain")  # fmt: skip
    print(f"{KILLS:,} kills, {len(due):,} rows: {by_state['gone']:,} gone, {unsure:,} unsure, "
          f"of which {had_gone:,} had gone")  # fmt: skip
    office.personal.dispose()
    office.library.close()


_EVERY = ("held", "waiting", "sending", "refused", "uncertain", "sent", "gone")

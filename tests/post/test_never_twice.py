"""The promise of the outbox: never twice, never lost, never gone without the server's yes, never
silent, in whatever order people, servers, disks, clocks and kills act.

A state machine of random acts and faults (hypothesis); no outside source.
"""

import itertools
import os
import sqlite3
import tempfile
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import msgspec
import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule, run_state_machine_as_test
from msgspec.structs import replace
from sqlalchemy import Engine, event, select, text

from nebbet.core.errors import NebbetError
from nebbet.core.message.received import open_message
from nebbet.core.records import Contact, Member
from nebbet.library import schema
from nebbet.library.store import Library, open_library
from nebbet.personal import open_letters, outbox
from nebbet.personal.items import Item
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.tables import letter_table, open_personal, outbox_table
from nebbet.post.delivering import Office, deliver_due
from nebbet.standin.service import MailService
from tests.conftest import NOW
from tests.post.conftest import ME, PASSWORDS, make_item

HANNA = Contact("c1", email="hanna.verrell@post.example", first_name="Hanna")
BENEDEK = Member("m1", "Benedek", "Roy", ME)


class Killed(BaseException):
    """The program is ended in the middle."""


class Disk:
    """Lets a statement to the personal file fail: locked, full, or the program killed."""

    def __init__(self) -> None:
        self.ok, self.kind, self.times = 0, "", 0

    def plan(self, kind: str, after: int, times: int = 1) -> None:
        self.kind, self.ok, self.times = kind, after, times

    def watch(self, engine: Engine) -> None:
        event.listen(engine, "before_cursor_execute", self._statement)

    def _statement(self, *args: object) -> None:
        sql = str(args[2]).split(maxsplit=1)[0]
        if not self.kind or sql not in ("INSERT", "UPDATE", "DELETE"):
            return
        if self.ok:
            self.ok -= 1
            return
        kind = self.kind
        self.times -= 1
        if not self.times:
            self.kind = ""
        if kind == "kill":
            raise Killed
        error = sqlite3.OperationalError("no")
        error.sqlite_errorcode = sqlite3.SQLITE_BUSY if kind == "locked" else sqlite3.SQLITE_FULL
        raise error


class World:
    """A person's files, a library, and a mail service that counts what it takes."""

    def __init__(self, folder: Path, service: MailService, library: Library) -> None:
        self.folder, self.service, self.library = folder, service, library
        self.clock = NOW.timestamp()
        self.disk = Disk()
        self.open()

    def open(self) -> None:
        self.personal = open_personal(self.folder / "personal.sqlite")
        self.disk.watch(self.personal)
        self.office = Office(
            self.personal, self.library, self.service.account(ME), SessionSecrets(PASSWORDS),
            lambda: self.clock,
        )  # fmt: skip
        outbox.recover(self.personal)

    def kill(self) -> None:
        self.disk.kind = ""
        self.personal.dispose()
        self.open()

    def rows(self) -> dict[str, tuple[str, str, int]]:
        with self.personal.connect() as connection:
            table = outbox_table.c
            found = connection.execute(
                select(table.id, table.state, table.words, table.attempts)
            ).all()
        return {row[0]: (row[1], row[2], row[3]) for row in found}

    def pile(self) -> list[str]:
        with self.personal.connect() as connection:
            return list(connection.scalars(select(letter_table.c.id)))


class CountingService(MailService):
    """Counts how often it took each letter, by its subject."""

    taken: Counter[str]

    def _store(self, address: str, content: bytes) -> None:
        if address == HANNA.email:
            self.taken[open_message(content).subject] += 1
        super()._store(address, content)


@pytest.fixture
def service(tmp_path: Path) -> Iterator[CountingService]:
    made = CountingService(tmp_path / "mail", PASSWORDS)
    made.taken = Counter()
    made.start()
    yield made
    made.stop()


@pytest.fixture
def taken(service: CountingService) -> Counter[str]:
    return service.taken


@pytest.fixture
def world(tmp_path: Path, service: MailService, library: Library) -> Iterator[World]:
    made = World(tmp_path, service, library)
    yield made
    made.personal.dispose()


_tokens = (f"token{n:06}" for n in itertools.count(1))


def item_of(number: int) -> Item:
    made = make_item(HANNA, BENEDEK, lambda: next(_tokens), f"l{number}")
    data = made.outgoing.data.replace(b"Subject: Your refund", b"Subject: letter %d" % number)
    return replace(made, outgoing=replace(made.outgoing, data=data))


# Each stage by itself


@pytest.mark.parametrize("after", range(4))
@pytest.mark.parametrize("kind", ["locked", "full"])
def test_a_disk_that_fails_never_makes_a_letter_gone_or_twice(
    world: World, taken: Counter[str], kind: str, after: int, caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level("CRITICAL")
    outbox.enqueue(world.personal, item_of(1), world.clock)
    world.disk.plan(kind, after, times=2)
    for _ in range(6):
        deliver_due(world.office)
        state = world.rows()["l1"][0]
        assert state not in ("sent", "gone") or taken["letter 1"]
        world.clock += 4000
    assert world.rows()["l1"][0] == "gone"
    assert taken["letter 1"] == 1


@pytest.mark.logs
@pytest.mark.parametrize("host", ["smtp..x", "nobody.invalid.", "\0"])
def test_one_letters_trouble_is_that_letters(
    world: World, taken: Counter[str], host: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What no code foresaw is told at the letter it met, and the next one goes."""
    outbox.enqueue(world.personal, item_of(1), world.clock)
    broken = replace(world.office, account=replace(world.office.account, smtp_host=host))
    (entry,) = deliver_due(broken)
    assert entry.state in ("refused", "waiting")
    assert entry.words
    assert not taken


@pytest.mark.logs
def test_a_mistake_of_ours_is_told_and_nothing_has_gone(
    world: World, taken: Counter[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    def stumble(_item: Item) -> bool:
        if _item.id == "l1":
            raise RuntimeError("a mistake")
        return False

    monkeypatch.setattr("nebbet.post.delivering.counts_from_sending", stumble)
    for number in (1, 2):
        outbox.enqueue(world.personal, item_of(number), world.clock)
    (entry,) = deliver_due(world.office)
    assert (entry.item.id, entry.state) == ("l1", "refused")
    assert "It has not gone" in entry.words
    assert taken == {"letter 2": 1}


def test_a_locked_file_is_told_until_it_is_not(world: World, taken: Counter[str]) -> None:
    outbox.enqueue(world.personal, item_of(1), world.clock)
    world.disk.plan("locked", 0, times=1)
    deliver_due(world.office)
    assert "another program is writing to it" in world.office.stuck[0].sentence
    assert not taken
    deliver_due(world.office)
    assert world.office.stuck == []
    assert taken["letter 1"] == 1


def test_putting_in_twice_is_refused_wherever_the_letter_is(
    world: World, taken: Counter[str]
) -> None:
    item = item_of(1)
    outbox.enqueue(world.personal, item, world.clock)
    with pytest.raises(NebbetError, match="before"):
        outbox.enqueue(world.personal, item, world.clock)
    deliver_due(world.office)
    with pytest.raises(NebbetError, match="before"):
        outbox.enqueue(world.personal, item, world.clock)
    open_letters.keep_letter(world.personal, item.letter, 1.0)  # a late autosave
    assert world.pile() == []
    deliver_due(world.office)
    assert taken["letter 1"] == 1


def test_answers_and_outbox_are_one_act(world: World) -> None:
    item = item_of(1)
    open_letters.keep_letter(world.personal, item.letter, 1.0)
    for after in range(4):
        world.disk.plan("full", after)
        with pytest.raises(NebbetError):
            outbox.enqueue(world.personal, item, world.clock, {"name": "Ana"})
        assert (world.pile(), world.rows(), open_letters.answers(world.personal)) == (
            ["l1"],
            {},
            {},
        )
    outbox.enqueue(world.personal, item, world.clock, {"name": "Ana"})
    assert (world.pile(), list(world.rows())) == ([], ["l1"])


def test_a_damaged_row_keeps_nothing_from_starting(world: World, taken: Counter[str]) -> None:
    for number in (1, 2, 3):
        outbox.enqueue(world.personal, item_of(number), world.clock)
    with world.personal.begin() as connection:
        connection.execute(text("UPDATE outbox SET item = x'ff00' WHERE id = 'l1'"))
        connection.execute(text("UPDATE outbox SET due = 'never' WHERE id = 'l2'"))
    assert outbox.looked_through(world.personal)[1] == 2
    assert deliver_due(world.office) == []
    assert taken == {"letter 3": 1}
    assert len(world.rows()) == 3, "what cannot be read stays in the file"


# All of it at once

ACTS = int(os.environ.get("NEBBET_ACTS", "0"))  # so many runs of new acts, to search for more

FAULTS = [
    {}, {"busy": 421}, {"busy": 451}, {"drop": "before"}, {"drop": "after"}, {"rude": True},
    {"refuse": {HANNA.email}}, {"no_auth": True}, {"refuse_password": True}, {"register": True},
    {"imap": True}, {"host": True},
]  # fmt: skip


class Outbox(RuleBasedStateMachine):
    """Random acts; the invariants are the promise."""

    service: MailService
    library: Library
    taken: Counter[str]

    def __init__(self) -> None:
        super().__init__()
        self.folder = tempfile.TemporaryDirectory()
        self.world = World(Path(self.folder.name), self.service, self.library)
        self.count = 0
        self.letters: dict[str, str] = {}  # id → subject
        self.again: Counter[str] = Counter()  # how often a person sent an uncertain one again
        self.said_gone: set[str] = set()
        self._fault({})

    def teardown(self) -> None:
        self._fault({})
        self.world.personal.dispose()
        self.folder.cleanup()

    def _fault(self, fault: dict[str, object]) -> None:
        faults, account = self.service.faults, self.service.account(ME)
        faults.busy, faults.drop, faults.refuse = 0, "", set()
        faults.refuse_password = faults.no_auth = faults.rude = False
        for name, value in fault.items():
            if hasattr(faults, name):
                setattr(faults, name, value)
        if fault.get("imap"):
            account = replace(account, imap_port=1)
        if fault.get("host"):
            account = replace(account, smtp_host="smtp..x")
        self.world.office = replace(self.world.office, account=account)
        with self.library.engine.begin() as connection:
            hidden = schema.register.name in connection.dialect.get_table_names(connection)
            if fault.get("register") and hidden:
                connection.execute(text("ALTER TABLE register RENAME TO hidden"))
            elif not fault.get("register") and not hidden:
                connection.execute(text("ALTER TABLE hidden RENAME TO register"))

    def _act(self, act: object) -> None:
        """Do something that the disk may refuse, or in the middle of which the program ends."""
        try:
            act()  # type: ignore[operator]
        except NebbetError:
            pass
        except Killed:
            self.world.kill()

    @rule()
    def write(self) -> None:
        Outbox.number = getattr(Outbox, "number", 0) + 1
        item = item_of(Outbox.number)
        self.letters[item.id] = f"letter {Outbox.number}"
        self.world.disk.kind = ""
        open_letters.keep_letter(self.world.personal, item.letter, self.world.clock)

    @rule(which=st.integers(0, 3), hold=st.sampled_from([0, 10]))
    def send(self, which: int, hold: int) -> None:
        if not self.letters:
            return
        key = list(self.letters)[-1 - which % len(self.letters)]
        item = item_of(int(key[1:]))
        self._act(lambda: outbox.enqueue(self.world.personal, item, self.world.clock + hold))

    @rule(seconds=st.sampled_from([1, 11, 61, 4000]))
    def wait(self, seconds: int) -> None:
        self.world.clock += seconds

    @rule()
    def deliver(self) -> None:
        self._act(lambda: deliver_due(self.world.office))

    @rule(which=st.integers(0, 3))
    def take_back(self, which: int) -> None:
        if self.letters:
            key = list(self.letters)[-1 - which % len(self.letters)]
            self._act(lambda: outbox.take_back(self.world.personal, key, self.world.clock))

    @rule(which=st.integers(0, 3), state=st.sampled_from(["held", "sent", "held"]))
    def decide(self, which: int, state: str) -> None:
        """A person sends again, or says that it went."""
        if not self.letters:
            return
        key = list(self.letters)[-1 - which % len(self.letters)]
        before = self.world.rows().get(key, ("", "", 0))[0]

        def act() -> None:
            moved = outbox.settle(self.world.personal, key, state, due=self.world.clock)  # type: ignore[arg-type]
            if moved and before == "uncertain" and state == "held":
                self.again[key] += 1
            if moved and state == "sent":
                self.said_gone.add(key)

        self._act(act)

    @rule(fault=st.sampled_from(FAULTS))
    def fault(self, fault: dict[str, object]) -> None:
        self._fault(fault)

    @rule(
        kind=st.sampled_from(["locked", "full", "kill"]), after=st.integers(0, 3),
        times=st.integers(1, 3),
    )  # fmt: skip
    def disk(self, kind: str, after: int, times: int) -> None:
        self.world.disk.plan(kind, after, 1 if kind == "kill" else times)

    @rule()
    def restart(self) -> None:
        self.world.kill()

    @invariant()
    def holds(self) -> None:
        self.world.disk, held = self.world.disk, self.world.disk.kind
        self.world.disk.kind = ""
        rows, pile = self.world.rows(), self.world.pile()
        self.world.disk.kind = held
        for key, subject in self.letters.items():
            state, words, attempts = rows.get(key, ("", "", 0))
            times = self.taken[subject]
            assert times <= 1 + self.again[key], f"{subject} went {times} times"
            assert (key in pile) != (key in rows), f"{subject}: pile {key in pile}, {state}"
            if state in ("sent", "gone"):
                assert times or key in self.said_gone, f"{subject} is {state} without a yes"
            if state in ("refused", "uncertain", "waiting") and attempts:
                assert words or state == "waiting", f"{subject} is {state} without a word"


@pytest.mark.timeout(600)
@pytest.mark.logs
def test_never_twice_never_lost_never_gone_without_a_yes_never_silent(
    service: MailService, tmp_path: Path, taken: Counter[str], caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level("CRITICAL")
    Outbox.service, Outbox.taken = service, taken
    Outbox.library = open_library(tmp_path / "library.sqlite")
    run_state_machine_as_test(
        Outbox,
        settings=settings(
            max_examples=ACTS or 25,
            stateful_step_count=30,
            deadline=None,
            derandomize=not ACTS,
            suppress_health_check=list(HealthCheck),
        ),
    )
    Outbox.library.close()


def test_a_file_of_an_earlier_nebbet_is_read(office: Office, item: Item, tmp_path: Path) -> None:
    """It kept the bytes of a message with the rest."""
    path = tmp_path / "earlier.sqlite"
    earlier = open_personal(path)
    with earlier.begin() as connection:
        connection.execute(text("DROP TABLE outbox"))
        connection.execute(text(
            "CREATE TABLE outbox (id VARCHAR(64) PRIMARY KEY, message_id VARCHAR(255) NOT NULL, "
            "state VARCHAR(16) NOT NULL, due FLOAT NOT NULL, attempts INTEGER NOT NULL, "
            "words TEXT NOT NULL, item BLOB NOT NULL)"
        ))  # fmt: skip
        connection.execute(
            text("INSERT INTO outbox VALUES ('l1', :message, 'held', 0, 0, '', :item)"),
            {"message": item.outgoing.message_id, "item": msgspec.json.encode(item)},
        )
        connection.execute(text("PRAGMA user_version = 1"))
    earlier.dispose()
    opened = open_personal(path)
    assert outbox.whole(opened, "l1") == item
    assert deliver_due(replace(office, personal=opened)) == []
    opened.dispose()


def test_what_waits_is_known_without_its_bytes(office: Office, item: Item) -> None:
    outbox.enqueue(office.personal, item, 9e9)
    (waiting,) = outbox.queued(office.personal)
    assert waiting.item.outgoing.data == b""
    assert outbox.whole(office.personal, item.id) == item
    assert outbox.whole(office.personal, "none") is None

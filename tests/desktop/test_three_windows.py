"""Three windows on one server, two leads and a colleague, who act at random while lines stall and
drop, windows are ended and roles change. At the end all three and the database agree, nothing that
was typed is missing, and nothing that was said to be kept was not.

NEBBET_ACTS makes a longer run, NEBBET_SEED another one.
"""

import os
import random
import re
import shutil
import sqlite3
import tempfile
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path

import psycopg
import pytest
from msgspec.structs import replace
from pytestqt.qtbot import QtBot
from sqlalchemy import make_url

from nebbet.core.errors import NebbetError
from nebbet.library import logins
from nebbet.library.catalogue import Catalogue
from nebbet.library.store import Library, open_library
from nebbet.personal.home import Home, home_in
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import read_settings, write_settings
from nebbet.standin import demo
from nebbet.standin.service import MailService
from tests.conftest import NOW
from tests.desktop.conftest import Hand, close, open_window_with
from tests.desktop.on_server import kept
from tests.library.conftest import database, server  # noqa: F401 - fixtures
from tests.library.line import Line

ACTS = int(os.environ.get("NEBBET_ACTS", "80"))
SEED = int(os.environ.get("NEBBET_SEED", "1"))
PEOPLE = {demo.LEAD: "lead", "anneli.brandt": "lead", demo.ME: "colleague"}
FACTS = ("desk_phone", "desk_hours")
TEMPLATES = ("refund-agreed", "damage-claim")


class Person:
    """One of the three: their home, their line, their window, and what they typed."""

    def __init__(
        self, member: str, home: Home, line: Line, service: MailService, qtbot: QtBot
    ) -> None:
        self.member, self.home, self.line = member, home, line
        self._service, self._bot = service, qtbot
        self.typed: set[str] = set()  # marks
        self.kept: set[str] = set()  # marks that were said to be kept
        self.said: list[str] = []
        self.hand = self._open()

    def _open(self) -> Hand:
        settings = read_settings(self.home.settings_file)
        secrets = SessionSecrets({settings.account.user: demo.PASSWORD})
        window = open_window_with(self.home, secrets)
        window.notices.ask = lambda *_args: True  # type: ignore[method-assign]
        real_say, real_fail = window.notices.say, window.notices.fail

        def say(words: str, *more: object) -> None:
            self.said.append(words)
            real_say(words, *more)  # type: ignore[arg-type]

        def fail(error: NebbetError) -> None:
            self.said.append(error.sentence)
            real_fail(error)

        window.notices.say, window.notices.fail = say, fail  # type: ignore[method-assign]
        return Hand(window, self._bot, self._service)

    def again(self) -> None:
        """End the window and start another one."""
        close(self.hand.window)
        self.hand = self._open()

    @property
    def shared(self):  # type: ignore[no-untyped-def]
        return self.hand.session.shared

    def settle(self, told: Callable[[str], bool]) -> bool:
        """Wait a moment for a sentence; says whether it came."""
        before = len(self.said)
        for _ in range(60):
            if any(told(words) for words in self.said[max(before - 1, 0) :]):
                return True
            if any("cannot" in words or "meanwhile" in words for words in self.said[before:]):
                return False
            self._bot.wait(25)
        return False

    # Acts

    def change_a_fact(self, chance: random.Random, mark: str) -> None:
        library = self.hand.window.library
        self.hand.window.go(library)
        library.show_facts()
        page, name = library.facts, chance.choice(FACTS)
        page.refresh(name)
        if page.unsaved.key != name or page.form.value.isReadOnly():
            return
        self.typed.discard(page.form.value.text())  # they write over what they wrote themselves
        page.form.value.setText(mark)
        page.unsaved.keep()
        self.typed.add(mark)
        if self.shared.leads:
            self.said.clear()
            page.save.click()
            if self.settle(lambda words: "is kept; every template says it" in words):
                self.kept.add(mark)

    def write_a_template(self, chance: random.Random, mark: str) -> None:
        library, key = self.hand.window.library, chance.choice(TEMPLATES)
        self.hand.window.go(library)
        if key not in self.shared.catalogue.templates:
            return  # started anew on a silent line, before there was a copy
        library.edit(key)
        editor = library.editor
        cursor = editor.body.textCursor()
        cursor.movePosition(cursor.MoveOperation.Start)
        cursor.insertText(f"{mark} ")
        editor.keep_draft()
        self.typed.add(mark)
        self.said.clear()
        editor.note.setText(mark)
        editor.put_in_use()
        done = ("is in use.", "is proposed: a lead", "is proposed when the server")
        if self.settle(lambda words: any(one in words for one in done)):
            self.kept.add(mark)
        library.leave()

    def keep_a_word(self, _chance: random.Random, mark: str) -> None:
        self.typed.add(mark)
        self.said.clear()
        self.shared.keep_word(mark)
        if self.settle(lambda words: mark in words):
            self.kept.add(mark)

    def begin_a_letter(self, _chance: random.Random, mark: str) -> None:
        letters = self.hand.window.letters
        self.hand.window.go(letters)
        letters.new_letter()
        letters.paper.body.insertPlainText(mark)
        self.typed.add(mark)


@pytest.fixture
def keeper(database: str, home: Home) -> Iterator[Library]:  # noqa: F811
    people = {member: (f"tw_{member}", role) for member, role in PEOPLE.items()}
    with kept(database, home, people) as library:
        yield library


@pytest.fixture
def people(
    keeper: Library,
    database: str,  # noqa: F811
    home: Home,
    service: MailService,
    qtbot: QtBot,
    tmp_path: Path,
) -> Iterator[list[Person]]:
    found: list[Person] = []
    folders = []
    for member in PEOPLE:
        own = home_in(tmp_path / member)
        shutil.copytree(home.data, own.data)
        folders.append(tempfile.TemporaryDirectory(prefix="nb-line"))
        where = make_url(database).set(username=f"tw_{member}")
        line = Line(where.render_as_string(hide_password=False), Path(folders[-1].name))
        settings = read_settings(own.settings_file)
        write_settings(own.settings_file, replace(settings, library=line.url, member=member))
        found.append(Person(member, own, line, service, qtbot))
    yield found
    for person in found:
        close(person.hand.window)
        person.line.cut()
    for folder in folders:
        folder.cleanup()


def act(people: list[Person], keeper: Library, chance: random.Random, number: int) -> None:
    """One act at random."""
    person, mark = chance.choice(people), f"zq{SEED}x{number}"
    acts = (person.change_a_fact, person.write_a_template, person.keep_a_word,
            person.begin_a_letter)  # fmt: skip
    what = chance.random()
    person.hand.session.operations.settle(8)  # what is said then is said of this act
    if what < 0.62:
        chance.choice(acts)(chance, mark)
    elif what < 0.72:
        person.line.stall()
    elif what < 0.78:
        person.line.drop()
    elif what < 0.82:
        person.line.cut()
    elif what < 0.94:
        person.line.mend()
    elif what < 0.96:
        person.again()
    else:
        member = keeper.catalogue(NOW).members["anneli.brandt"]
        other = "colleague" if member.role == "lead" else "lead"
        logins.let_in(keeper.engine, replace(member, role=other), "tw_anneli.brandt")


def test_three_windows_and_the_database_agree_in_the_end(
    people: list[Person],
    keeper: Library,
    database: str,  # noqa: F811
) -> None:
    chance = random.Random(SEED)
    for number in range(ACTS):
        act(people, keeper, chance, number)
        people[0].hand.bot.wait(chance.choice((0, 0, 20, 120)))
    for person in people:
        person.line.mend()
    for person in people:
        bot = person.hand.bot
        bot.waitUntil(lambda p=person: p.shared.library.away is None, timeout=40_000)
        bot.waitUntil(lambda p=person: p.shared.library.count_waiting() == 0, timeout=20_000)
    for person in people:
        login = make_url(database).set(username=f"tw_{person.member}")
        with closing(open_library(login.render_as_string(hide_password=False))) as own:

            def agrees(person: Person = person, own: Library = own) -> bool:
                person.shared.refresh()
                person.hand.bot.wait(50)
                return said_of(person.shared.whole) == said_of(own.catalogue(NOW))

            person.hand.bot.waitUntil(agrees, timeout=20_000)
            assert person.shared.library.role == own.role
    there = everything_in(database)
    for person in people:
        assert not (person.kept - there), "said to be kept"
        person.hand.session.keep(5)
        own_words = everything_of(person.home)
        missing = {mark for mark in person.typed if mark not in there and mark not in own_words}
        assert not missing, (person.member, missing)


def said_of(catalogue: Catalogue) -> Catalogue:
    """A catalogue without what differs from one moment to the next."""
    return replace(catalogue, mark="", editing={}, usage={}, unread=())


class _Marks(set[str]):
    """Marks that were found in texts."""

    def look(self, text: str) -> None:
        self.update(re.findall(r"zq\d+x\d+", text))


def everything_in(database: str) -> set[str]:  # noqa: F811
    """The marks that stand anywhere in the database."""
    found = _Marks()
    with psycopg.connect(database, autocommit=True) as connection:
        for query in (
            "SELECT content || note FROM nebbet.edition",
            "SELECT content || reason FROM nebbet.proposal",
            "SELECT data FROM nebbet.former",
            "SELECT data FROM nebbet.fact",
            "SELECT value FROM nebbet.setting",
        ):
            for (text,) in connection.execute(query):
                found.look(text)
    return found


def everything_of(home: Home) -> set[str]:
    """The marks that stand in somebody's own file."""
    found = _Marks()
    with closing(sqlite3.connect(home.personal_file)) as connection:
        for table in ("draft", "letter", "waiting"):
            for (data,) in connection.execute(f"SELECT data FROM {table}"):
                found.look(bytes(data).decode("utf-8", "replace"))
    return found

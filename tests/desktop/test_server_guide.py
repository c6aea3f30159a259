"""The page for whoever keeps a server, followed command by command, from an empty database to the
second colleague's first letter.

Reference: docs/server.md itself. The server is a real PostgreSQL that lets people in by SCRAM
alone; this build of it has no TLS, so that one parameter of the address is left out here.
"""

import re
import shlex
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import psycopg
import pytest
from msgspec.structs import replace
from pytestqt.qtbot import QtBot
from sqlalchemy import make_url

from nebbet.library import register
from nebbet.library.store import open_library
from nebbet.personal.home import Home
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import read_settings, write_settings
from nebbet.standin import demo
from nebbet.standin.service import MailService
from tests.cli.running import run
from tests.conftest import NOW
from tests.desktop.conftest import PATIENCE, Hand, close, open_window_with
from tests.library.conftest import in_database, server  # noqa: F401 - fixtures

GUIDE = Path(__file__).parents[2] / "docs" / "server.md"
# What is for the machine and not for Nebbet: packages, and what systemd does.
_OF_THE_MACHINE = ("apt ",)
_ADDRESS = re.compile(r"postgresql://(\w+)@db\.example/(team2?)\?sslmode=verify-full")
_DATABASES = {"team": "guide_team", "team2": "guide_team2"}
_SECRET = "a long one"


def commands() -> list[str]:
    """The lines of the page that are commands, in their order."""
    lines = GUIDE.read_text("utf-8").splitlines()
    found = [line.strip() for line in lines if line.startswith("    ")]
    settings = re.compile(r"\w+ = |hostssl ")
    return [line for line in found if not settings.match(line)]


@pytest.fixture
def guarded(server: str) -> Iterator[str]:  # noqa: F811
    """The server, which asks for a password wherever somebody wants into the guide's databases."""
    with psycopg.connect(server, autocommit=True) as keeper:
        row = keeper.execute("SHOW hba_file").fetchone()
        assert row is not None
        rules = Path(row[0])
        before = rules.read_text()
        names = ",".join(_DATABASES.values())
        mine = f"local {names} postgres trust\nlocal {names} all scram-sha-256\n"
        rules.write_text(mine + before)
        keeper.execute("SELECT pg_reload_conf()")
        roles = {one[0] for one in keeper.execute("SELECT rolname FROM pg_roles")}
        yield server
        for name in _DATABASES.values():
            keeper.execute(f"DROP DATABASE IF EXISTS {name} WITH (FORCE)")
        left = {one[0] for one in keeper.execute("SELECT rolname FROM pg_roles")} - roles
        for role in sorted(left, key=lambda name: name == "keeper"):
            keeper.execute(f'DROP ROLE "{role}"')
        rules.write_text(before)
        keeper.execute("SELECT pg_reload_conf()")


class Follower:
    """Somebody who does what the page says, and reads what comes of it."""

    def __init__(self, url: str, home: Home, folder: Path) -> None:
        self._url, self._home, self._folder = url, home, folder
        self.said: dict[str, str] = {}
        self.passwords: dict[str, str] = {}

    def address(self, login: str, database: str) -> str:
        return in_database(self._url, _DATABASES[database], login)

    def do(self, line: str) -> None:
        if line.startswith(_OF_THE_MACHINE):
            return
        if line.startswith("sudo -u postgres psql -c "):
            self._as_superuser(shlex.split(line)[-1])
            return
        assert line.startswith("nebbet "), f"the page says something nobody can follow: {line}"
        said = _ADDRESS.sub(lambda found: self.address(*found.groups()), line)
        words = [self._there(word) for word in shlex.split(said)[1:]]
        done = run(*words, home=self._home, PGPASSWORD=_SECRET)
        answer = done.stdout.decode() + done.stderr.decode()
        assert done.returncode == 0, f"{line}\n{answer}"
        self.said[line] = answer
        if begun := re.search(r"To begin with: (\S+)", answer):
            who = re.search(r"\b(?:add|password|back) (\w+)", line)
            assert who is not None
            self.passwords[who[1]] = begun[1]

    def _there(self, word: str) -> str:
        """A file of the page, in a folder of this test."""
        return str(self._folder / word) if word.endswith((".sqlite", ".nebbet-backup")) else word

    def _as_superuser(self, statement: str) -> None:
        for name, real in _DATABASES.items():
            statement = re.sub(rf"DATABASE {name}\b", f"DATABASE {real}", statement)
        with psycopg.connect(self._url, autocommit=True) as connection:
            connection.execute(statement)


@pytest.fixture
def follower(guarded: str, home: Home, tmp_path: Path) -> Follower:
    """With the demo's library as the file that the team had so far."""
    with closing(open_library(home.library_file)) as held:
        from nebbet.library.backing_up import back_up, restore

        back_up(held.engine, tmp_path / "x.nebbet-backup", NOW)
        restore(tmp_path / "x.nebbet-backup", tmp_path / "library.sqlite")
    return Follower(guarded, home, tmp_path)


def test_from_an_empty_database_to_the_second_colleague_s_first_letter(
    follower: Follower, home: Home, service: MailService, qtbot: QtBot
) -> None:
    lines = commands()
    assert sum(line.startswith("nebbet") for line in lines) >= 13, "the page lost its commands"
    for line in lines:
        follower.do(line)

    def said(word: str) -> str:
        return next(text for line, text in follower.said.items() if f" {word} " in line)

    first = said("init")
    assert "there    to make roles" in first and "The library was made." in first
    assert "brought back" in next(text for line, text in follower.said.items() if "restore" in line)
    assert "nothing is wrong" in next(
        text for line, text in follower.said.items() if "doctor" in line
    )
    # The second colleague's first start, as the page says: the address, the password to begin with.
    settings = read_settings(home.settings_file)
    where = follower.address("saoirse", "team")
    write_settings(home.settings_file, replace(settings, library=where, member="saoirse"))
    user = demo.demo_settings(home).account.user
    secrets = SessionSecrets({user: demo.PASSWORD, where: follower.passwords["saoirse"]})
    window = open_window_with(home, secrets)
    hand = Hand(window, qtbot, service)
    hand.until(lambda: window.session.shared.me is not None)
    hand.until(lambda: "choose one of your own" in hand.said)
    window.session.choose_server_password("words of my own")
    hand.until(lambda: "another one now" in hand.said)
    qtbot.waitUntil(lambda: len(window.session.shared.catalogue.templates) == 40, timeout=PATIENCE)
    hand.click(window.person)
    for name, words in (("job", "Claims"), ("phone", "01632 960 121")):
        window.profile.fields[name].setFocus()
        hand.type(words)
    hand.press("Ctrl+S")
    hand.until(lambda: window.session.shared.me and window.session.shared.me.phone)
    hand.press("Alt+3")
    window.library.find_field.clear()
    window.library.table.setFocus()
    hand.type("confirmation")
    hand.press("Return")
    hand.type("haldane")
    hand.press("Return", "Ctrl+Return")
    hand.sent_all()
    assert hand.mailbox()
    hand.until(lambda: not window.session.sending.outbox)
    close(window)
    keeper = make_url(follower.address("keeper", "team")).set(password=_SECRET)
    with closing(open_library(keeper.render_as_string(hide_password=False))) as library:
        (entry,) = register.page(library.engine).rows
        assert entry.sender == "saoirse"
    assert secrets.get(where) == "words of my own"
    with psycopg.connect(where, password="words of my own") as own:
        assert own.info.user == "saoirse"
    with pytest.raises(psycopg.OperationalError):
        psycopg.connect(where, password=follower.passwords["saoirse"])

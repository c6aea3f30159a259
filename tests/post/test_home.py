"""Folders, settings, the personal file and passwords."""

from pathlib import Path

import keyring
import pytest
from keyring.backend import KeyringBackend
from keyring.errors import NoKeyringError
from msgspec.structs import replace
from sqlalchemy import Engine, event, text

from nebbet.core import body
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.personal import open_letters, own_templates, tables
from nebbet.personal.home import find_home, home_in, make_home, take_home
from nebbet.personal.secrets import VARIABLE, KeyringSecrets, SessionSecrets
from nebbet.personal.settings import Account, Settings, read_settings, write_settings


def test_one_variable_moves_everything(tmp_path: Path) -> None:
    home = find_home({"NEBBET_HOME": str(tmp_path)})
    assert {home.config, home.data} == {tmp_path}
    own = find_home({})
    assert own.config.name == own.data.name == "nebbet"


@pytest.mark.parametrize("folder", ["/proc/nebbet", "/dev/null/nebbet"])
def test_a_home_that_cannot_be_written_is_told(folder: str) -> None:
    with pytest.raises(NebbetError, match=f"The folder {folder} cannot be used"):
        make_home(home_in(Path(folder)))


def test_one_home_has_one_nebbet(tmp_path: Path) -> None:
    home = home_in(tmp_path / "home")
    with take_home(home), pytest.raises(NebbetError, match="Nebbet is already open in the folder"):
        take_home(home)
    take_home(home).close()


SETTINGS = Settings(
    member="m1",
    hold_seconds=20,
    account=Account(user="a@b.example", smtp_host="mail.b.example", smtp_port=465),
)


def test_settings_come_back_and_comments_stay(tmp_path: Path) -> None:
    path = tmp_path / "config.toml"
    assert read_settings(path) == Settings()
    write_settings(path, SETTINGS)
    assert read_settings(path) == SETTINGS
    path.write_text("# mine\n" + path.read_text())
    write_settings(path, replace(SETTINGS, hold_seconds=0))
    assert path.read_text().startswith("# mine\n")
    assert read_settings(path).hold_seconds == 0
    assert list(tmp_path.iterdir()) == [path], "no half-written file is left"


@pytest.mark.parametrize("broken", ["member =", "hold_seconds = 'soon'", "[account]\nuser = 3"])
def test_settings_that_make_no_sense_are_told(tmp_path: Path, broken: str) -> None:
    path = tmp_path / "config.toml"
    path.write_text(broken)
    with pytest.raises(NebbetError, match=r"The settings in config\.toml cannot be read"):
        read_settings(path)
    assert path.read_text() == broken


# Open letters


LETTER = Letter("l1", subject=("Hello",), body=body.read("<p>text</p>"))


@pytest.fixture
def engine(tmp_path: Path) -> Engine:
    return tables.open_personal(tmp_path / "deep" / "personal.sqlite")


def test_open_letters_are_kept_newest_first(engine: Engine) -> None:
    open_letters.keep_letter(engine, LETTER, 1)
    open_letters.keep_letter(engine, replace(LETTER, id="l2"), 2)
    open_letters.keep_letter(engine, replace(LETTER, subject=("Changed",)), 3)
    letters, broken = open_letters.open_letters(engine)
    assert [(x.id, x.subject) for x in letters] == [("l1", ("Changed",)), ("l2", ("Hello",))]
    assert broken == 0
    open_letters.drop_letter(engine, "l1")
    assert [x.id for x in open_letters.open_letters(engine)[0]] == ["l2"]


def test_one_broken_letter_hides_no_other_and_stays(engine: Engine) -> None:
    open_letters.keep_letter(engine, LETTER, 1)
    with engine.begin() as connection:
        connection.execute(text("INSERT INTO letter VALUES ('bad', 2, x'7b')"))
    letters, broken = open_letters.open_letters(engine)
    assert ([x.id for x in letters], broken) == (["l1"], 1)


def test_drafts_of_templates(engine: Engine) -> None:
    own_templates.keep_draft(engine, "t1", b"one")
    own_templates.keep_draft(engine, "t1", b"two")
    assert own_templates.drafts(engine) == {"t1": b"two"}
    own_templates.keep_draft(engine, "t1", None)
    assert own_templates.drafts(engine) == {}


def test_a_full_disk_keeps_the_letter_that_was_there(engine: Engine) -> None:
    open_letters.keep_letter(engine, LETTER, 1)
    engine.dispose()
    event.listen(engine, "connect", lambda c, _e: c.execute("PRAGMA max_page_count = 1"))
    big = replace(LETTER, body=body.read("<p>" + "word " * 100_000 + "</p>"))
    with pytest.raises(NebbetError) as caught:
        open_letters.keep_letter(engine, big, 2)
    assert caught.value.sentence == (
        "The letter cannot be kept on disk: the disk is full. It is still on the page. "
        "Make room and try again."
    )
    assert open_letters.open_letters(engine)[0] == [LETTER]


def test_a_newer_personal_file_is_left_alone(tmp_path: Path, engine: Engine) -> None:
    with engine.begin() as connection:
        connection.execute(text("PRAGMA user_version = 99"))
    engine.dispose()
    with pytest.raises(NebbetError, match="made by a newer Nebbet"):
        tables.open_personal(tmp_path / "deep" / "personal.sqlite")


def test_a_personal_file_that_is_none(tmp_path: Path) -> None:
    path = tmp_path / "personal.sqlite"
    path.write_bytes(b"not a database at all, just some words" * 50)
    with pytest.raises(NebbetError, match="it is not a Nebbet file"):
        tables.open_personal(path)


# Passwords


class _Ring(KeyringBackend):
    priority = 1  # type: ignore[assignment]

    def __init__(self) -> None:
        super().__init__()
        self.kept: dict[tuple[str, str], str] = {}

    def get_password(self, service: str, username: str) -> str | None:
        return self.kept.get((service, username))

    def set_password(self, service: str, username: str, password: str) -> None:
        self.kept[service, username] = password


class _NoRing(_Ring):
    def get_password(self, service: str, username: str) -> str | None:
        raise NoKeyringError

    def set_password(self, service: str, username: str, password: str) -> None:
        raise NoKeyringError


def test_passwords_go_into_the_keyring(monkeypatch: pytest.MonkeyPatch) -> None:
    ring = _Ring()
    monkeypatch.setattr(keyring.core, "_keyring_backend", ring)
    assert KeyringSecrets().keep("a@b.example", "pw")
    assert ring.kept == {("nebbet", "a@b.example"): "pw"}
    assert KeyringSecrets().get("a@b.example") == "pw"
    monkeypatch.setenv(VARIABLE, "from script")
    assert KeyringSecrets().get("a@b.example") == "from script"


def test_without_a_keyring_a_password_lasts_for_the_session(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(keyring.core, "_keyring_backend", _NoRing())
    secrets = KeyringSecrets()
    assert not secrets.keep("a@b.example", "pw")
    assert secrets.get("a@b.example") == "pw"
    assert KeyringSecrets().get("a@b.example") is None
    assert "pw" not in repr(SessionSecrets({"a": "pw"}))

"""Roles: on a server the database itself keeps colleagues from what is the lead's."""

import os
from pathlib import Path

import psycopg
import pytest
from msgspec.structs import replace
from psycopg import errors
from sqlalchemy import text

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Enclosure, Texts
from nebbet.core.records import Contact, Fact
from nebbet.library import roles
from nebbet.library.filing import remove_file
from nebbet.library.holdings import Copied, Proposal, Shelf, own_shelf
from nebbet.library.postgres import postgres_engine
from nebbet.library.setting_up import make_ready
from nebbet.library.store import Library, open_library
from tests.conftest import NOW
from tests.library.making import CONTENT, SAOIRSE, client, login, opened

FORBIDDEN = [
    "INSERT INTO edition VALUES ('t1', 2, '{}', 'saoirse', now(), '')",
    "UPDATE edition SET content = '{}'",
    "DELETE FROM edition",
    "INSERT INTO template VALUES ('t2', 's1', 'Bad', 'in use', false, 1)",
    "INSERT INTO shelf VALUES ('s2', NULL, NULL, 'Bad', 0)",
    "INSERT INTO shelf VALUES ('s2', NULL, 'ivo', 'Bad', 0)",
    "INSERT INTO fact VALUES ('fee', '{}')",
    "UPDATE frame SET data = '{}'",
    "DELETE FROM passage",
    "INSERT INTO setting VALUES ('calendar', '{}')",
    "INSERT INTO member VALUES ('x', '{}')",
    "UPDATE member SET data = '{\"role\": \"lead\"}' WHERE id = 'saoirse'",
    "INSERT INTO register SELECT 'm', now(), 'ivo', '', '', 'a@b.example', '', '', 0, '', ''",
    "INSERT INTO proposal VALUES ('p', 't1', 1, 's1', 'T', '{}', 'ivo', now(), '', 'waiting', '')",
    "INSERT INTO proposal "
    "VALUES ('p', 't1', 1, 's1', 'T', '{}', 'saoirse', now(), '', 'accepted', '')",
    "ALTER TABLE template DISABLE ROW LEVEL SECURITY",
    "CREATE TABLE mine (x int)",
    "CREATE TEMPORARY TABLE member (id text, login name)",
    "CREATE FUNCTION nebbet.pg_has_role() RETURNS boolean LANGUAGE sql AS 'SELECT true'",
    "DELETE FROM template WHERE id = 't1'",
    "SET ROLE postgres",
]  # fmt: skip


@pytest.mark.parametrize("act", FORBIDDEN)
def test_a_plain_client_of_a_colleague_cannot_do_what_is_the_lead_s(team: str, act: str) -> None:
    with client(team, "saoirse") as connection, pytest.raises(errors.InsufficientPrivilege):
        connection.execute(act)


@pytest.mark.parametrize(
    "act",
    [
        "UPDATE template SET title = 'Bad' WHERE id = 't1'",
        "UPDATE shelf SET name = 'Bad' WHERE id = 's1'",
        "UPDATE member SET data = '{}' WHERE id = 'ivo'",
    ],
)
def test_rows_of_others_are_not_there_to_be_changed(team: str, act: str) -> None:
    with client(team, "saoirse") as connection:
        assert connection.execute(act).rowcount == 0
    with client(team, "ottilie") as connection:
        assert connection.execute("SELECT title FROM template WHERE id = 't1'").fetchone() == (
            "Hello",
        )


def test_a_private_shelf_is_its_owner_s(team: str) -> None:
    seen = {m: {*_ids(team, m, "template")} for m in ("saoirse", "ivo", "ottilie")}
    assert seen == {"saoirse": {"t1", "mine"}, "ivo": {"t1"}, "ottilie": {"t1"}}
    assert _ids(team, "ivo", "edition", "template") == ["t1"]
    with client(team, "saoirse") as connection:
        connection.execute("UPDATE template SET title = 'Better' WHERE id = 'mine'")
        connection.execute("INSERT INTO edition VALUES ('mine', 2, '{}', 'saoirse', now(), '')")


def _ids(team: str, member: str, table: str, column: str = "id") -> list[str]:
    with client(team, member) as connection:
        return [row[0] for row in connection.execute(f"SELECT {column} FROM {table} ORDER BY 1")]


def test_the_library_knows_the_role_of_a_login(team: str) -> None:
    lead, colleague = opened(team, "ottilie"), opened(team, "saoirse")
    assert (lead.role, colleague.role) == ("lead", "colleague")
    number = lead.save_edition("t1", "Hello", CONTENT, author="ottilie", note="", made=NOW)
    assert number == 2
    with pytest.raises(NebbetError, match="for a lead to change"):
        colleague.save_edition("t1", "Hello", CONTENT, author="saoirse", note="", made=NOW)
    with pytest.raises(NebbetError, match="that is for a lead to do"):
        colleague.put(Fact("fee", 1))
    colleague.put(Contact("k", email="k@post.example"))
    colleague.add_word("Skua")
    made = Content({"en_GB": Texts("Better", "<p>b</p>\n")})
    waiting = Proposal("p1", "t1", 2, "s1", "Hello", made, "saoirse", NOW, "shorter")
    colleague.propose(waiting)
    found = lead.catalogue(NOW).proposals["p1"]
    assert replace(found, made=NOW) == waiting
    assert found.made != NOW, "the server says when"
    lead.close()
    colleague.close()


def test_a_colleague_has_a_shelf_and_versions_of_their_own(team: str) -> None:
    lead, colleague = opened(team, "ottilie"), opened(team, "ivo")
    mine = own_shelf("ivo")
    copied = Copied("t1", "ivo-1", "Hello", own=True)
    colleague.copy_templates([copied], mine, author="ivo", made=NOW)
    colleague.save_edition("ivo-1", "Hello", CONTENT, author="ivo", note="", made=NOW)
    assert "ivo-1" in colleague.catalogue(NOW).templates
    assert "ivo-1" not in lead.catalogue(NOW).templates
    colleague.be_present("t1", "ivo", NOW)
    assert lead.catalogue(NOW).editing == {"t1": ("ivo",)}
    with pytest.raises(NebbetError, match="your role in this library does not allow that"):
        colleague.be_present("t1", "ottilie", NOW)
    colleague.be_gone("t1", "ivo")
    lead.put(Fact("fee", 1), author="ottilie", made=NOW)
    for act in (
        "INSERT INTO former VALUES ('fact', 'fee', 9, '{}', NULL, now())",
        "UPDATE former SET data = '{}'",
        "DELETE FROM file",
    ):
        with client(team, "ivo") as connection, pytest.raises(psycopg.errors.InsufficientPrivilege):
            connection.execute(act)
    with client(team, "ottilie") as connection, pytest.raises(psycopg.Error):
        connection.execute("UPDATE former SET data = '{}'")
    lead.close()
    colleague.close()


def test_a_file_that_a_private_template_needs_stays(team: str) -> None:
    lead, colleague = opened(team, "ottilie"), opened(team, "ivo")
    file = colleague.put_file(b"mine", "mine.txt", "text/plain")
    colleague.make_sure_of(own_shelf("ivo"))
    colleague.add_template("ivo-2", own_shelf("ivo").id, "Mine")
    content = Content(enclosures=(Enclosure(file, "mine.txt"),))
    colleague.save_edition("ivo-2", "Mine", content, author="ivo", note="", made=NOW)
    assert "ivo-2" not in lead.catalogue(NOW).templates
    with pytest.raises(NebbetError, match="needs this file"):
        remove_file(lead, file)
    free = lead.put_file(b"free", "free.txt", "text/plain")
    remove_file(lead, free)
    assert set(lead.catalogue(NOW).files) == set(), "what is private is not seen"
    assert set(colleague.catalogue(NOW).files) == {file}
    lead.close()
    colleague.close()


def test_rights_are_renewed_when_a_server_s_library_is_brought_up_to_date(team: str) -> None:
    engine = postgres_engine(team)
    with engine.begin() as connection:
        for statement in (
            "DROP TABLE former, presence CASCADE",
            "ALTER TABLE template DROP COLUMN origin, DROP COLUMN origin_edition",
            "UPDATE alembic_version SET version_num = '0003'",
        ):
            connection.execute(text(statement))
    assert make_ready(engine)[0] == "The library was brought up to date"
    engine.dispose()
    colleague = opened(team, "ivo")
    colleague.be_present("t1", "ivo", NOW)
    assert colleague.catalogue(NOW).editing == {"t1": ("ivo",)}
    colleague.close()


def test_the_database_s_own_no_is_told_in_plain_words(team: str) -> None:
    """A client that believes to be a lead is told all the same."""
    library = open_library(login(team, "saoirse"), role="lead")
    with pytest.raises(NebbetError) as caught:
        library.put(Fact("fee", 1))
    assert caught.value.sentence == (
        "The change cannot be kept: your role in this library does not allow that. "
        "Nothing was changed. Ask a lead."
    )
    library.close()


def test_a_server_that_is_not_there(tmp_path: Path) -> None:
    with pytest.raises(NebbetError, match="cannot be opened: the server does not answer"):
        open_library(f"postgresql://nobody:secret@/none?host={tmp_path}")
    with pytest.raises(NebbetError) as caught:
        open_library(f"postgresql://nobody:secret@/none?host={tmp_path}")
    assert "secret" not in caught.value.sentence


def test_a_database_of_something_else_is_left_alone(server: str) -> None:
    with psycopg.connect(server, autocommit=True) as connection:
        connection.execute("CREATE TABLE IF NOT EXISTS songs (title text)")
    with pytest.raises(NebbetError, match="holds something else than a Nebbet library"):
        open_library(server)


def test_whoever_owns_the_file_is_the_lead(path: Path) -> None:
    library = open_library(path)
    assert library.role == "lead"
    library.close()
    me = os.getuid()
    assert roles.role_for_file(path, me) == "lead"
    assert roles.role_for_file(path, me + 1) == "colleague"


def test_a_colleague_of_a_file_library_fills_only_a_private_shelf(path: Path) -> None:
    library = open_library(path)
    library.put(SAOIRSE)
    library.add_shelf(Shelf("s1", "Sailings"))
    library.add_shelf(Shelf("own", "Saoirse's", owner="saoirse"))
    colleague = Library(library.engine, "colleague")
    colleague.add_template("mine", "own", "Mine")
    assert colleague.save_edition("mine", "Mine", CONTENT, author="saoirse", note="", made=NOW) == 1
    with pytest.raises(NebbetError, match="for a lead to change"):
        colleague.add_template("t2", "s1", "Bad")
    with pytest.raises(NebbetError, match="that is for a lead"):
        colleague.put(replace(SAOIRSE, role="lead"))
    reader = Library(library.engine, "reader")
    with pytest.raises(NebbetError, match="it is read-only here"):
        reader.add_word("Skua")
    library.close()

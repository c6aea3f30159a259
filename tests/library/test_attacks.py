"""A colleague with a plain database client: what somebody tries who knows PostgreSQL.

Reference: PostgreSQL's documentation, "Writing SECURITY DEFINER Functions Safely" and "Row Security
Policies"; the attacks follow from them.
"""

import hashlib
import threading
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta

import psycopg
import pytest
from psycopg import errors

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Enclosure, Texts
from nebbet.core.records import Contact, Member
from nebbet.library import logins, roles
from nebbet.library.holdings import Proposal, Shelf, own_shelf
from nebbet.library.postgres import parted, postgres_engine
from nebbet.library.setting_up import make_ready
from nebbet.library.store import open_library
from nebbet.library.watching import Watched, Watcher
from tests.conftest import NOW
from tests.library.conftest import in_database
from tests.library.making import client, login, opened

SECRET = Content({"en": Texts("A secret", "<p>quite secret words</p>\n")})


@pytest.fixture
def attacked(team: str) -> Iterator[str]:
    """The team, with a private draft and a private file of Saoirse's."""
    saoirse = opened(team, "saoirse")
    file = saoirse.put_file(b"her file", "her.txt", "text/plain")
    saoirse.make_sure_of(own_shelf("saoirse"))
    saoirse.add_template("secret", own_shelf("saoirse").id, "Secret")
    content = Content(SECRET.texts, enclosures=(Enclosure(file, "her.txt"),))
    saoirse.save_edition("secret", "Secret", content, author="saoirse", note="", made=NOW)
    waiting = Proposal("p1", "t1", 1, "s1", "Hello", SECRET, "saoirse", NOW, "r")
    saoirse.propose(waiting)
    saoirse.close()
    yield team


_REFUSALS = (
    errors.InsufficientPrivilege,
    errors.CheckViolation,
    errors.UndefinedFunction,
    errors.ForeignKeyViolation,
    errors.InvalidTextRepresentation,
)


def refused(team: str, member: str, *acts: str) -> None:
    for act in acts:
        with client(team, member) as connection, pytest.raises(_REFUSALS):
            connection.execute(f"BEGIN; {act}")


def rows(team: str, member: str, query: str) -> list[tuple[object, ...]]:
    with client(team, member) as connection:
        return connection.execute(query).fetchall()


def test_nobody_becomes_another_by_a_table_of_the_same_name(attacked: str) -> None:
    refused(
        attacked, "ivo",
        "CREATE TEMP TABLE member AS SELECT 'saoirse'::text AS id, session_user::text AS login",
        "CREATE SCHEMA mine", "CREATE TABLE public.member (id text)",
        "CREATE FUNCTION public.session_user() RETURNS name LANGUAGE sql AS 'SELECT ''x''::name'",
    )  # fmt: skip
    with client(attacked, "ivo") as connection:
        for path in ("pg_temp, nebbet", "public, nebbet", "nebbet"):
            connection.execute(f"SET search_path = {path}")
            assert connection.execute("SELECT nebbet.nebbet_member()").fetchone() == ("ivo",)
            assert connection.execute("SELECT nebbet.nebbet_leads()").fetchone() == (False,)


def test_a_temporary_table_shadows_nothing_even_where_it_can_be_made(attacked: str) -> None:
    with psycopg.connect(attacked, autocommit=True) as maker:
        database = maker.info.dbname
        maker.execute(f"GRANT TEMPORARY ON DATABASE {database} TO nb_ivo")
        maker.execute("GRANT CREATE ON SCHEMA public TO PUBLIC")
    try:
        with client(attacked, "ivo") as connection:
            connection.execute("CREATE TEMP TABLE member (id text, login text)")
            connection.execute("INSERT INTO pg_temp.member VALUES ('saoirse', session_user)")
            connection.execute(
                "CREATE FUNCTION public.pg_has_role(name, text, text) RETURNS boolean "
                "LANGUAGE sql AS 'SELECT true'"
            )
            connection.execute("SET search_path = public, pg_temp, nebbet, pg_catalog")
            assert connection.execute("SELECT nebbet.nebbet_member()").fetchone() == ("ivo",)
            assert connection.execute("SELECT nebbet.nebbet_leads()").fetchone() == (False,)
            seen = connection.execute("SELECT id FROM nebbet.template ORDER BY 1").fetchall()
            assert seen == [("t1",)]
    finally:
        with psycopg.connect(attacked, autocommit=True) as maker:
            maker.execute("DROP FUNCTION IF EXISTS public.pg_has_role(name, text, text)")
            maker.execute("REVOKE CREATE ON SCHEMA public FROM PUBLIC")


def test_no_function_tells_of_private_drafts(attacked: str) -> None:
    """Neither substrings nor whole files are answered for, but to a lead, and only yes or no."""
    refused(attacked, "ivo", "SELECT nebbet.nebbet_needs('a')")
    file = hashlib.sha256(b"her file").hexdigest()
    for words, answer in (("secret", False), ("%", False), (file[:63], False), (file, True)):
        with client(attacked, "ottilie") as lead:
            found = lead.execute("SELECT nebbet.nebbet_needs(%s)", (words,)).fetchone()
            assert found == (answer,)
    (public,) = rows(
        attacked, "ivo",
        "SELECT count(*) FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace WHERE "
        "n.nspname = 'nebbet' AND EXISTS (SELECT 1 FROM aclexplode(coalesce(p.proacl, "
        "acldefault('f', p.proowner))) a WHERE a.grantee = 0)",
    )  # fmt: skip
    assert public == (0,), "PUBLIC may call nothing"


def test_files_of_private_templates_are_their_owner_s(attacked: str) -> None:
    for member in ("ivo", "ottilie"):
        assert rows(attacked, member, "SELECT name FROM file WHERE name = 'her.txt'") == []
        assert rows(attacked, member, "SELECT 1 FROM file_claim WHERE member = 'saoirse'") == []
    assert rows(attacked, "saoirse", "SELECT name FROM file") == [("her.txt",)]
    ivo = opened(attacked, "ivo")
    file = ivo.put_file(b"her file", "mine.txt", "text/plain")  # he has it himself: it is his, too
    assert ivo.file_bytes(file) == b"her file"
    ivo.close()


def test_a_file_in_use_by_all_is_seen_by_all(attacked: str) -> None:
    lead, ivo = opened(attacked, "ottilie"), opened(attacked, "ivo")
    file = lead.put_file(b"terms", "terms.txt", "text/plain")
    assert file not in ivo.files()
    content = Content(enclosures=(Enclosure(file, "terms.txt"),))
    lead.save_edition("t1", "Hello", content, author="ottilie", note="", made=NOW)
    assert file in ivo.files()
    assert ivo.file_bytes(file) == b"terms"
    lead.close()
    ivo.close()


def test_a_file_is_what_its_name_says(attacked: str) -> None:
    other = hashlib.sha256(b"conditions").hexdigest()
    row = f"('{other}', 'c.pdf', 'application/pdf', 3, 'bad', NULL)"
    refused(
        attacked, "ivo", f"INSERT INTO file VALUES {row}",
        f"INSERT INTO file VALUES {row.replace(other, 'x')}",
        "UPDATE file SET data = 'bad'", "UPDATE file SET name = 'bad'", "DELETE FROM file",
    )  # fmt: skip
    refused(attacked, "ottilie", "UPDATE file SET data = 'bad'", "UPDATE file SET sha256 = 'x'")


def test_a_file_of_another_content_is_not_used(path) -> None:  # type: ignore[no-untyped-def]
    from sqlalchemy import text

    library = open_library(path)
    file = library.put_file(b"terms", "t.txt", "text/plain")
    with library.engine.begin() as connection:
        connection.execute(text("UPDATE file SET data = x'00'"))
    with pytest.raises(NebbetError, match="not what it was when it came in"):
        library.file_bytes(file)
    library.close()


def test_nobody_squats_another_s_shelf(attacked: str) -> None:
    refused(
        attacked, "ivo",
        "INSERT INTO shelf VALUES ('own-ottilie', NULL, 'ivo', 'x', 0)",
        "INSERT INTO shelf VALUES ('own-x', NULL, 'ottilie', 'x', 0)",
        "INSERT INTO shelf VALUES ('own-ivo', NULL, NULL, 'x', 0)",
    )  # fmt: skip
    ottilie = opened(attacked, "ottilie")
    ottilie.make_sure_of(own_shelf("ottilie"))
    ottilie.close()


def test_who_did_what_and_when_is_the_server_s_word(attacked: str) -> None:
    old = "'2001-01-01T00:00:00Z'"
    register = (
        "INSERT INTO register SELECT '{}', {}, '{}', '', '', 'a@b.example', '', 't1', 1, '', ''"
    )
    refused(
        attacked, "ottilie",
        register.format("m1", "now()", "ivo"),  # a lead enters nothing for others
        "INSERT INTO edition VALUES ('t1', 2, '{}', 'ivo', now(), '')",
        "INSERT INTO former VALUES ('fact', 'fee', 1, '{}', 'ivo', now())",
        "UPDATE proposal SET content = '{}'", "UPDATE proposal SET author = 'ivo'",
        "UPDATE edition SET made = now()", "UPDATE member SET login = 'x'",
        "UPDATE member SET id = 'x'", "UPDATE register SET sent = now()", "DELETE FROM register",
    )  # fmt: skip
    refused(
        attacked, "ivo",
        "INSERT INTO proposal "
        "VALUES ('p', 't1', 1, 's1', 'T', '{}', 'saoirse', now(), '', 'waiting')",
        "UPDATE proposal SET made = now()", "UPDATE member SET id = 'ottilie'",
        "UPDATE member SET data = '{\"id\": \"ottilie\"}' WHERE id = 'ivo'",
        "UPDATE member SET login = 'nb_ottilie'", "UPDATE contact SET id = 'x'",
    )  # fmt: skip
    with client(attacked, "ivo") as connection:
        connection.execute(register.format("m2", old, "ivo"))
        connection.execute(
            f"INSERT INTO proposal VALUES ('p2', 't1', 1, 's1', 'T', '{{}}', 'ivo', {old}, '', "
            f"'waiting', 'yes, of course', 'ottilie', {old})"
        )
    with client(attacked, "ottilie") as connection:
        connection.execute(
            "INSERT INTO edition VALUES ('t1', 2, '{}', 'ottilie', '2001-01-01', '')"
        )
        connection.execute(
            "UPDATE proposal SET state = 'declined', decider = 'ivo', decided = '2001-01-01' "
            "WHERE id = 'p1'"
        )
        assert (
            connection.execute(
                "UPDATE proposal SET answer = 'changed later' WHERE id = 'p1'"
            ).rowcount
            == 0
        )
    lately = datetime.now(UTC) - timedelta(minutes=5)
    for query in (
        "SELECT sent FROM register WHERE message_id = 'm2'",
        "SELECT made FROM proposal WHERE id = 'p2'",
        "SELECT made FROM edition WHERE template = 't1' AND number = 2",
        "SELECT decided FROM proposal WHERE id = 'p1'",
    ):
        ((moment,),) = rows(attacked, "ottilie", query)
        assert isinstance(moment, datetime)
        assert moment > lately, query
    assert rows(
        attacked, "ivo", "SELECT decider, decided, answer FROM proposal WHERE id = 'p2'"
    ) == [(None, None, "")]
    assert rows(attacked, "ivo", "SELECT decider FROM proposal WHERE id = 'p1'") == [("ottilie",)]


def test_an_accepted_proposal_is_its_proposer_s(attacked: str) -> None:
    lead = opened(attacked, "ottilie")
    proposal = lead.catalogue(NOW).proposals["p1"]
    assert lead.accept(proposal, SECRET, "Hello", "", "ottilie", NOW, based_on=1) == 2
    found = lead.catalogue(NOW)
    assert found.templates["t1"].author == "saoirse"
    assert found.proposals["p1"].decider == "ottilie" if "p1" in found.proposals else True
    lead.close()


BAD_ROWS = [
    "INSERT INTO setting VALUES ('words', '[')",
    "UPDATE setting SET value = '{' WHERE name = 'words'",
    "INSERT INTO contact (id, data) VALUES ('c', 'x')",
    "INSERT INTO case_ (id, data) VALUES ('c', '{\"id\": \"d\"}')",
    "INSERT INTO contact (id, data) VALUES ('c', '[]')",
    "UPDATE member SET data = 'x' WHERE id = 'ivo'",
    "INSERT INTO proposal VALUES ('p', 't1', 1, 's1', 'T', 'no', 'ivo', now(), '', 'waiting')",
    "INSERT INTO template VALUES ('t9', 'own-ivo', 'T', 'nonsense', false, 0)",
]  # fmt: skip


@pytest.mark.parametrize("act", BAD_ROWS, ids=range(len(BAD_ROWS)))
def test_a_bad_row_is_refused_by_the_server(attacked: str, act: str) -> None:
    ivo = opened(attacked, "ivo")
    ivo.make_sure_of(own_shelf("ivo"))
    ivo.add_word("Skua")
    ivo.close()
    refused(attacked, "ivo", act)
    with client(attacked, "ivo") as connection:  # a time that no client can read is set right
        connection.execute("INSERT INTO presence VALUES ('t1', 'ivo', 'infinity')")
    refused(attacked, "ivo", "UPDATE presence SET seen = '-infinity'")
    library = opened(attacked, "ottilie")
    assert library.catalogue(NOW).templates
    library.close()


def test_what_is_json_but_no_record_hides_nothing_and_goes(attacked: str) -> None:
    with client(attacked, "ivo") as connection:
        connection.execute(
            'INSERT INTO contact (id, data) VALUES (\'c\', \'{"id": "c", "email": 7}\')'
        )
        connection.execute("INSERT INTO setting VALUES ('words', '{\"a\": 1}')")
        deep = "[" * 3000 + "]" * 3000
        connection.execute(
            "INSERT INTO contact (id, data) VALUES ('d', %s)", (f'{{"id": "d", "more": {deep}}}',)
        )
    lead = opened(attacked, "ottilie")
    from nebbet.library.checking import mend

    assert {row.key for row in lead.catalogue(NOW).unread} == {"words"}
    assert lead.people.contacts(["c", "d"]) == {}
    assert len(mend(lead, NOW)) == 3
    assert lead.catalogue(NOW).unread == ()
    lead.close()


@pytest.mark.parametrize("mode", ["ACCESS EXCLUSIVE", "EXCLUSIVE", "SHARE", "SHARE ROW EXCLUSIVE"])
def test_a_colleague_cannot_lock_the_others_out(attacked: str, mode: str) -> None:
    for table in ("template", "shelf", "setting", "contact", "presence", "member", "proposal",
                  "register", "edition", "file"):  # fmt: skip
        refused(attacked, "ivo", f"LOCK TABLE nebbet.{table} IN {mode} MODE")


def test_a_row_that_somebody_holds_is_not_waited_for_without_end(attacked: str) -> None:
    lead = opened(attacked, "ottilie")
    ivo = psycopg.connect(login(attacked, "ivo"), options="-c search_path=nebbet")
    ivo.execute("INSERT INTO contact (id, data) VALUES ('held', '{\"id\": \"held\"}')")
    with pytest.raises(NebbetError, match="somebody else is changing it"):
        lead.put(Contact("held", email="a@b.example"))
    ivo.close()
    lead.close()


def test_a_flood_of_notices_keeps_nobody_from_reading(attacked: str) -> None:
    lead = opened(attacked, "ottilie")
    told, ended = threading.Event(), threading.Event()
    count = [0]

    def changed() -> None:
        count[0] += 1
        if count[0] > 2:
            told.set()

    def flood() -> None:
        with client(attacked, "ivo") as connection:
            while not ended.is_set():
                connection.execute(
                    "SELECT pg_notify('nebbet', 'x' || i) FROM generate_series(1, 200) i"
                )

    watcher = Watcher(lead.engine, Watched(changed), pause=0.2)
    flooding = threading.Thread(target=flood)
    watcher.start()
    flooding.start()
    try:
        assert told.wait(30)
        begun = count[0]
        ended.wait(2)
        assert count[0] - begun <= 15, "told at most once for each pause"
    finally:
        ended.set()
        flooding.join()
        watcher.stop()
        lead.close()


def test_both_roles_have_names_of_their_own_however_long_the_database_s(server: str) -> None:
    name = "d" * 63
    with psycopg.connect(server, autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name}")
    url = in_database(server, name)
    library = open_library(url)
    library.put(Member("ivo", "Ivo", "L", "i@l.example"))
    library.add_shelf(Shelf("s1", "S"))
    roles.set_up(library.engine)
    logins.enrol(library.engine, "ivo", "nb_ivo", "colleague")
    library.close()
    ivo = open_library(in_database(server, name, "nb_ivo"))
    assert ivo.role == "colleague"
    ivo.close()
    with psycopg.connect(server, autocommit=True) as connection:
        connection.execute(f"DROP DATABASE {name} WITH (FORCE)")


def test_a_password_never_stands_in_a_statement(
    attacked: str, caplog: pytest.LogCaptureFixture
) -> None:
    """As libpq's \\password: the server is told a SCRAM verifier (RFC 5802 §3)."""
    from sqlalchemy import event

    library = open_library(attacked)
    said: list[str] = []
    event.listen(library.engine, "before_cursor_execute", lambda *args: said.append(str(args[2:4])))
    logins.enrol(library.engine, "ivo", "nb_ivo", "colleague", "pä'ss\\word")
    assert not any("ss\\word" in statement for statement in said)
    assert any("SCRAM-SHA-256$" in statement for statement in said)
    library.close()


def test_a_library_of_before_moves_into_its_own_schema(server: str) -> None:
    """Tables that an earlier Nebbet made lie where everybody may make some."""
    name = "earlier"
    with psycopg.connect(server, autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name} TEMPLATE nebbet_made")
    url = in_database(server, name)
    with psycopg.connect(url, autocommit=True) as connection:
        found = connection.execute(
            "SELECT tablename FROM pg_tables WHERE schemaname = 'nebbet'"
        ).fetchall()
        for (table,) in found:
            connection.execute(f"ALTER TABLE nebbet.{table} SET SCHEMA public")
        for function in ("nebbet_tell()", "nebbet_edition_stays()"):
            connection.execute(f"ALTER FUNCTION nebbet.{function} SET SCHEMA public")
        connection.execute("DROP TABLE public.change CASCADE")
        connection.execute("DROP FUNCTION nebbet.nebbet_logs() CASCADE")
        connection.execute("UPDATE public.alembic_version SET version_num = '0004'")
    engine = postgres_engine(url)
    make_ready(engine)
    engine.dispose()
    library = open_library(url)
    library.put(Member("m", "A", "B", "a@b.example"))
    assert "m" in library.catalogue(NOW).members
    library.close()
    with psycopg.connect(url) as connection:
        left = connection.execute("SELECT count(*) FROM pg_tables WHERE schemaname = 'public'")
        assert left.fetchone() == (0,)
    with psycopg.connect(server, autocommit=True) as connection:
        connection.execute(f"DROP DATABASE {name} WITH (FORCE)")


def test_a_url_is_parted_from_its_password() -> None:
    assert parted("postgresql://a:s3cret@h/d") == ("postgresql://a@h/d", "s3cret")
    assert parted("postgresql://a@h/d") == ("postgresql://a@h/d", "")

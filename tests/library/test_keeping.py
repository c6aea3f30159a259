"""Keeping a library on a server: made ready, mended, its people, its backups, its doctor."""

import json
import shutil
import zipfile
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from pathlib import Path

import psycopg
import pytest
from msgspec.structs import replace
from sqlalchemy import Engine, make_url, text

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Texts
from nebbet.core.records import Fact, Member
from nebbet.library import logins, migrate
from nebbet.library.backing_up import back_up, keep_newest, opened, restore
from nebbet.library.doctor import look
from nebbet.library.groups import group_name, read_mark
from nebbet.library.moving import copy_library, counts
from nebbet.library.postgres import OLDER, Away, postgres_engine
from nebbet.library.register_finding import Wanted
from nebbet.library.setting_up import make_ready, rights_needed
from nebbet.library.store import open_library
from tests.conftest import NOW
from tests.library.conftest import in_database
from tests.library.making import CONTENT, IVO, OTTILIE, SAOIRSE

Make = Callable[..., str]


@pytest.fixture
def empty(server: str) -> Iterator[Make]:
    """Makes empty databases on the server; the logins and roles that come with them go again."""
    made: list[str] = []
    with psycopg.connect(server, autocommit=True) as keeper:
        before = {row[0] for row in keeper.execute("SELECT rolname FROM pg_roles")}

        def make(name: str = "", owner: str = "") -> str:
            named = name or f"empty{len(made)}"
            keeper.execute(f"CREATE DATABASE {named}" + (f" OWNER {owner}" if owner else ""))
            made.append(named)
            return in_database(server, named)

        yield make
        for named in made:
            keeper.execute(f"DROP DATABASE IF EXISTS {named} WITH (FORCE)")
        left = {row[0] for row in keeper.execute("SELECT rolname FROM pg_roles")} - before
        # What somebody was given by another goes before the giver.
        for role in sorted(left, key=lambda name: name == "kp_owner"):
            keeper.execute(f'DROP ROLE "{role}"')


@contextmanager
def engine_of(url: str) -> Iterator[Engine]:
    engine = postgres_engine(url)
    try:
        yield engine
    finally:
        engine.dispose()


def ready(url: str) -> list[str]:
    with engine_of(url) as engine:
        return make_ready(engine)


def as_login(url: str, login: str, password: str = "") -> str:
    made = make_url(url).set(username=login, password=password or None)
    return made.render_as_string(hide_password=False)


def filled(url: str) -> None:
    """A team: a lead, two colleagues with logins, one of whom has a private shelf."""
    ready(url)
    with closing(open_library(url)) as library:
        for member in (OTTILIE, SAOIRSE, IVO):
            logins.let_in(library.engine, member, f"kp_{member.id}")
        from nebbet.library.holdings import Shelf

        library.add_shelf(Shelf("s1", "Sailings"))
        library.add_shelf(Shelf("own", "Saoirse's", owner="saoirse"), 1)
        for key, shelf in (("t1", "s1"), ("mine", "own")):
            library.add_template(key, shelf, "Hello")
            library.save_edition(key, "Hello", CONTENT, author="ottilie", note="", made=NOW)
        library.put(Fact("phone", "01632 960 140"), author="ottilie", made=NOW)
        library.put_file(b"%PDF terms", "terms.pdf", "application/pdf")


# Made ready


def test_what_is_missing_is_named_before_anything_is_made(server: str, empty: Make) -> None:
    with psycopg.connect(server, autocommit=True) as keeper:
        keeper.execute("CREATE ROLE kp_plain LOGIN")
    url = as_login(empty(), "kp_plain")
    with engine_of(url) as engine:
        assert [needed.there for needed in rights_needed(engine)] == [True, False, False]
        with pytest.raises(NebbetError) as refused:
            make_ready(engine)
    assert refused.value.sentence == (
        "This login may not make a library ready: it needs to make roles. The server is as it was. "
        'As a superuser: ALTER ROLE "kp_plain" CREATEROLE.'
    )
    with psycopg.connect(url) as client:
        assert client.execute("SELECT to_regnamespace('nebbet')").fetchone() == (None,)


def test_an_owner_who_is_no_superuser_makes_it_ready(server: str, empty: Make) -> None:
    """As the guide has it: an owner of the database with CREATEROLE, and nothing more."""
    with psycopg.connect(server, autocommit=True) as keeper:
        keeper.execute("CREATE ROLE kp_owner LOGIN CREATEROLE")
    url = as_login(empty(owner="kp_owner"), "kp_owner")
    done = ready(url)
    assert done[0] == "The library was made" and "roles" in done[1]
    assert ready(url) == []
    with closing(open_library(url)) as library:
        assert library.role == "lead"
        logins.let_in(library.engine, OTTILIE, "kp_o", password="correct horse")
    with closing(open_library(as_login(url, "kp_o"))) as library:
        assert library.role == "lead"
        logins.let_in(library.engine, IVO, "kp_i")
    with closing(open_library(as_login(url, "kp_i"))) as library:
        assert library.role == "colleague"
        with pytest.raises(NebbetError, match="your role in this library does not allow that"):
            logins.let_in(library.engine, SAOIRSE, "kp_s")


def test_a_library_keeps_its_roles_under_another_name(server: str, empty: Make) -> None:
    url = empty("before_the_move")
    filled(url)
    with psycopg.connect(server, autocommit=True) as keeper:
        keeper.execute("ALTER DATABASE before_the_move RENAME TO after_the_move")
    moved = in_database(server, "after_the_move")
    try:
        assert ready(moved) == []
        for login, role in (("kp_ottilie", "lead"), ("kp_ivo", "colleague")):
            with closing(open_library(as_login(moved, login))) as library:
                assert library.role == role
    finally:
        with psycopg.connect(server, autocommit=True) as keeper:
            keeper.execute("ALTER DATABASE after_the_move RENAME TO before_the_move")


def test_a_copy_beside_it_gets_roles_of_its_own(server: str, empty: Make) -> None:
    url = empty("the_first")
    filled(url)
    with psycopg.connect(server, autocommit=True) as keeper:
        keeper.execute("CREATE DATABASE the_second TEMPLATE the_first")
    second = in_database(server, "the_second")
    try:
        done = ready(second)
        assert done[0].startswith("This database is a copy of another one")
        with engine_of(second) as engine:
            logins.let_go(engine, "ottilie")
        with closing(open_library(as_login(url, "kp_ottilie"))) as library:
            assert library.role == "lead", "of the first one, she is still a lead"
    finally:
        with psycopg.connect(server, autocommit=True) as keeper:
            keeper.execute("DROP DATABASE the_second WITH (FORCE)")


def test_what_a_restore_left_out_is_mended_and_said(server: str, empty: Make) -> None:
    url = empty()
    filled(url)
    with engine_of(url) as engine, engine.connect() as connection:
        mark = read_mark(connection)
    assert mark is not None
    lead = group_name(mark.groups, "lead")
    with psycopg.connect(url, autocommit=True) as keeper:
        keeper.execute(f'DROP OWNED BY "{lead}"')
        keeper.execute(f'DROP ROLE "{lead}"')
        keeper.execute("DROP ROLE kp_ivo")
        keeper.execute("DROP POLICY seen ON nebbet.shelf")
    done = ready(url)
    assert done[0] == f"Roles that were missing were made: {lead}"
    assert any(words.startswith("The login kp_ivo was missing and was made") for words in done)
    assert f"Ottilie Marsh is in {lead} again" in done
    for login, role in (("kp_ottilie", "lead"), ("kp_ivo", "colleague")):
        with closing(open_library(as_login(url, login))) as library:
            assert library.role == role and library.catalogue(NOW).shelves
    assert ready(url) == []


def test_nothing_half_made_is_left(
    server: str, empty: Make, monkeypatch: pytest.MonkeyPatch
) -> None:
    from nebbet.library import setting_up

    url = empty()

    def fails(*_args: object) -> list[str]:
        raise NebbetError("the line was cut")

    with monkeypatch.context() as patched:
        patched.setattr(setting_up, "mend_roles", fails)
        with pytest.raises(NebbetError):
            ready(url)
    with psycopg.connect(url) as client:
        assert client.execute("SELECT to_regnamespace('nebbet')").fetchone() == (None,)
    assert ready(url)


def test_an_older_library_is_backed_up_before_it_is_brought_up_to_date(
    empty: Make, tmp_path: Path
) -> None:
    url = empty()
    with engine_of(url) as engine:
        migrate.upgrade(engine, "0006")
        with engine.begin() as connection:
            connection.execute(
                text("INSERT INTO member (id, data) VALUES ('ana', :said)"),
                {"said": '{"id":"ana","first_name":"Ana","last_name":"Roy","email":"a@b.example"}'},
            )
            connection.execute(
                text(
                    "INSERT INTO register (message_id, sent, sender, contact, name, address, "
                    "case_number, template, edition, title, subject) VALUES ('<1@x>', now(), 'ana',"
                    " '', 'Zoë Ångström', 'z@b.example', 'LS-1', '', 0, 'Hello', 'A refund')"
                )
            )
        with pytest.raises(Away) as refused:
            open_library(url)
        assert refused.value.reason == OLDER
        kept = tmp_path / "before.nebbet-backup"
        done = make_ready(engine, lambda: back_up(engine, kept, NOW))
    assert done[0] == "The library was brought up to date"
    with opened(kept) as (manifest, library):
        assert manifest.revision == "0006" and manifest.rows["member"] == 1
        assert library.catalogue(NOW).members["ana"].name == "Ana Roy"
    with closing(open_library(url)) as library:
        from nebbet.library import register

        assert register.page(library.engine, Wanted("angstrom refund")).found == 1


# People


def test_a_lead_touches_no_login_of_something_else(server: str, empty: Make) -> None:
    url = empty()
    filled(url)
    with psycopg.connect(server, autocommit=True) as keeper:
        keeper.execute("CREATE ROLE kp_other LOGIN CREATEDB")
    with closing(open_library(as_login(url, "kp_ottilie"))) as lead:
        new = Member("new", "New", "One", "new@lislesound.example")
        for login in ("postgres", "kp_other", "kp_ivo", "x" * 64, "a\nb"):
            with pytest.raises(NebbetError):
                logins.let_in(lead.engine, new, login, password="of my own choice")
        assert "new" not in lead.catalogue(NOW).members, "nothing of it was done"
        with pytest.raises(NebbetError, match="Nobody lets themselves go"):
            logins.let_go(lead.engine, "ottilie")
        with pytest.raises(Exception, match="made ready"), lead.engine.begin() as connection:
            connection.execute(
                text("SELECT nebbet.nebbet_let_in('ivo', 'kp_ivo', false, 'plain', NULL)")
            )
    with psycopg.connect(as_login(url, "kp_ivo"), autocommit=True) as colleague:
        for call in (
            "nebbet_let_go('ottilie')",
            "nebbet_let_in('ivo', 'kp_ivo', true, NULL, NULL)",
        ):
            with pytest.raises(psycopg.errors.InsufficientPrivilege):
                colleague.execute(f"SELECT nebbet.{call}")


def test_somebody_leaves_and_is_back_and_nobody_is_demoted_by_a_word_left_out(empty: Make) -> None:
    url = empty()
    filled(url)
    whole = replace(OTTILIE, phone="01632 960 121", more={"desk": "4"})
    with closing(open_library(url)) as keeper:
        keeper.put(whole)
        logins.let_go(keeper.engine, "ottilie")
        assert keeper.catalogue(NOW).members["ottilie"] == replace(whole, left=True)
        with pytest.raises(Away, match="the server does not let you in"):
            open_library(as_login(url, "kp_ottilie"))
        logins.let_in(keeper.engine, keeper.catalogue(NOW).members["ottilie"], "kp_ottilie")
        assert keeper.catalogue(NOW).members["ottilie"] == whole
    with closing(open_library(as_login(url, "kp_ottilie"))) as back:
        assert back.role == "lead"


def test_a_password_to_begin_with_ends_and_one_s_own_stays(empty: Make) -> None:
    url = empty()
    filled(url)
    first = logins.one_time()
    assert len(first) == 19 and first.count("-") == 3
    with closing(open_library(url)) as keeper:
        logins.let_in(keeper.engine, IVO, "kp_ivo", password=first, until=NOW)
        with closing(open_library(as_login(url, "kp_ivo"))) as own:
            with own.engine.connect() as connection:
                assert logins.ends(connection) == NOW
            logins.choose_password(own.engine, "my own words")
            with own.engine.connect() as connection:
                assert logins.ends(connection) is None
        with keeper.engine.connect() as connection:
            kept = connection.scalar(
                text("SELECT rolpassword FROM pg_authid WHERE rolname = 'kp_ivo'")
            )
        assert str(kept).startswith("SCRAM-SHA-256$") and "my own" not in str(kept)
        with pytest.raises(NebbetError, match="no member's"):
            logins.choose_password(keeper.engine, "x")


# Copied, backed up, brought back


def test_a_copy_says_what_it_cannot_see(empty: Make, tmp_path: Path) -> None:
    url = empty()
    filled(url)
    with closing(open_library(as_login(url, "kp_ottilie"))) as lead:
        with (
            closing(open_library(tmp_path / "a.sqlite")) as target,
            pytest.raises(NebbetError, match="Others have 3 rows on their private shelves"),
        ):
            copy_library(lead, target)
        with closing(open_library(tmp_path / "b.sqlite")) as target:
            assert copy_library(lead, target, without_hidden=True)
            assert set(target.catalogue(NOW).templates) == {"t1"}
        with pytest.raises(NebbetError, match="does not see 3 rows"):
            back_up(lead.engine, tmp_path / "no.nebbet-backup", NOW)
    assert not (tmp_path / "no.nebbet-backup").exists()


def test_a_file_is_copied_to_a_server_that_was_made_ready(empty: Make, tmp_path: Path) -> None:
    """The order of the guide: init, then copy, then let people in."""
    url = empty()
    ready(url)
    with closing(open_library(tmp_path / "own.sqlite")) as file:
        file.put(OTTILIE, Fact("phone", "1"), author="ottilie", made=NOW)
        from nebbet.library.holdings import Shelf

        file.add_shelf(Shelf("s1", "Sailings"))
        file.add_template("t1", "s1", "Hello")
        content = Content({"en_GB": Texts("Hello", "<p>Good day</p>\n")})
        file.save_edition("t1", "Hello", content, author="ottilie", note="first", made=NOW)
        with closing(open_library(url)) as target:
            copy_library(file, target)
            held, made = file.catalogue(NOW), target.catalogue(NOW)
            assert replace(made, mark="") == replace(held, mark="")
            logins.let_in(target.engine, made.members["ottilie"], "kp_ottilie")
            assert target.catalogue(NOW).members["ottilie"] == OTTILIE


def test_a_backup_holds_everything_and_comes_back_under_another_name(
    server: str, empty: Make, tmp_path: Path
) -> None:
    url = empty()
    filled(url)
    path = tmp_path / "kept" / "team.nebbet-backup"
    with engine_of(url) as engine, closing(open_library(url)) as library:
        logins.let_in(engine, IVO, "kp_ivo", password="a secret of mine")
        before = library.catalogue(NOW)
        with engine.connect() as connection:
            held = counts(connection)
            asked = text("SELECT rolpassword FROM pg_authid WHERE rolname = 'kp_ivo'")
            verifier = connection.scalar(asked)
        manifest = back_up(engine, path, NOW)
    assert manifest.rows == held and path.stat().st_mode & 0o077 == 0
    assert "a secret of mine" not in path.read_bytes().decode("latin-1")
    with psycopg.connect(server, autocommit=True) as keeper:  # the server is lost
        keeper.execute(f"DROP DATABASE {make_url(url).database} WITH (FORCE)")
        for (role,) in keeper.execute("SELECT rolname FROM pg_roles").fetchall():
            if role.startswith(("kp_", str(make_url(url).database))):
                keeper.execute(f'DROP ROLE "{role}"')
    again = empty("elsewhere")
    count, done = restore(path, again)
    assert count == sum(held.values())
    assert "The login kp_ivo was made, with the password it had" in done
    with engine_of(again) as engine, engine.connect() as connection:
        assert counts(connection) == held
        assert connection.scalar(asked) == verifier
    with closing(open_library(again)) as library:
        assert replace(library.catalogue(NOW), mark="") == replace(before, mark="")
    with closing(open_library(as_login(again, "kp_ottilie"))) as lead:
        assert lead.role == "lead" and "mine" not in lead.catalogue(NOW).templates
        file = next(iter(lead.catalogue(NOW).files))
        assert lead.file_bytes(file) == b"%PDF terms"
    with pytest.raises(NebbetError, match="There is a library in this database already"):
        restore(path, again)
    into_file = tmp_path / "team.sqlite"
    restore(path, into_file)
    with closing(open_library(into_file)) as library:
        assert replace(library.catalogue(NOW), mark="") == replace(before, mark="")
    with pytest.raises(NebbetError, match="There is a file team"):
        restore(path, into_file)


def test_a_backup_that_is_not_whole_is_refused(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "a.nebbet-backup"
    with closing(open_library(tmp_path / "own.sqlite")) as library:
        library.put(OTTILIE)
        back_up(library.engine, path, NOW)
    with opened(path) as (manifest, _library):
        assert manifest.rows["member"] == 1
    data = path.read_bytes()
    with zipfile.ZipFile(path) as packed:
        said = json.loads(packed.read("manifest.json"))
        inside = packed.read("library.sqlite")

    def other(name: str, manifest: object, library: bytes) -> Path:
        made = tmp_path / name
        with zipfile.ZipFile(made, "w") as packed:
            packed.writestr("manifest.json", json.dumps(manifest))
            packed.writestr("library.sqlite", library)
        return made

    (tmp_path / "half").write_bytes(data[: len(data) // 2])
    (tmp_path / "junk").write_bytes(b"junk" * 100)
    for bad in (
        tmp_path / "half",
        tmp_path / "junk",
        other("cut", said, inside[:-4096]),
        other("fewer", said | {"rows": said["rows"] | {"member": 2}}, inside),
        other("bare", {}, inside),
    ):
        with pytest.raises(NebbetError, match="is not a whole backup of a library"), opened(bad):
            pass
    with monkeypatch.context() as full:
        full.setattr(shutil, "disk_usage", lambda _folder: shutil._ntuple_diskusage(1, 1, 0))  # type: ignore[attr-defined]
        with pytest.raises(NebbetError, match="no space left"), opened(path):
            pass
    newer = other("newer", said | {"revision": "9999"}, inside)
    with pytest.raises(NebbetError, match="was made by a newer Nebbet"), opened(newer):
        pass


def test_old_backups_go_and_the_newest_stay(tmp_path: Path) -> None:
    import os

    for number in range(5):
        path = tmp_path / f"library-{number}.nebbet-backup"
        path.write_bytes(b"x")
        os.utime(path, (number, number))
    (tmp_path / "something else").write_bytes(b"x")
    assert [path.name[8] for path in keep_newest(tmp_path, 3)] == ["0", "1"]
    assert len(list(tmp_path.iterdir())) == 4


# The doctor


def test_the_doctor_finds_nothing_and_then_each_thing(server: str, empty: Make) -> None:
    url = empty()

    def found() -> list[str]:
        from datetime import UTC, datetime

        with engine_of(url) as engine:
            told = [finding.what for finding in look(engine, datetime.now(UTC))]
        return [words for words in told if "pg_hba.conf" not in words]  # this server trusts

    assert found() == ["There is no library of this Nebbet in the database"]
    filled(url)
    assert found() == []
    with psycopg.connect(url, autocommit=True) as keeper:
        keeper.execute("CREATE ROLE kp_stranger LOGIN")
        row = keeper.execute(
            "SELECT g.rolname FROM pg_auth_members a JOIN pg_roles g ON g.oid = a.roleid "
            "JOIN pg_roles r ON r.oid = a.member WHERE r.rolname = 'kp_ottilie'"
        ).fetchone()
        assert row is not None
        for change in (
            f'GRANT "{row[0]}" TO kp_stranger',
            f'REVOKE "{row[0]}" FROM kp_ottilie',
            "ALTER ROLE kp_ivo VALID UNTIL '2020-01-01'",
            "GRANT USAGE ON SCHEMA nebbet TO PUBLIC",
            "ALTER TABLE nebbet.shelf DISABLE ROW LEVEL SECURITY",
        ):
            keeper.execute(change)
    assert set(found()) == {
        "Rows are not guarded in: shelf",
        "Everybody on the server may look into the library",
        f"Ottilie Marsh is not in the role {row[0]}",
        "The password of Ivo Lindqvist has run out",
        "The login kp_stranger has rights in the library and is no member's",
    }
    ready(url)
    left = found()
    assert len(left) == 2 and all("Ivo" in words or "stranger" in words for words in left)

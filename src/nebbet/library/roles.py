"""Who may do what in a library: a lead changes what all share, a colleague reads and proposes.

On a PostgreSQL server the database itself says so, whatever a client does; in a file, its owner is
the lead.
"""

import hashlib
import os
from pathlib import Path

from sqlalchemy import Connection, Engine, select, text, update
from sqlalchemy.exc import DBAPIError

from nebbet.core.errors import NebbetError
from nebbet.library import schema
from nebbet.library.engine import explained
from nebbet.library.guards import SCHEMA, make_guards
from nebbet.library.holdings import Role
from nebbet.library.postgres import NOT_A_MEMBER, away

_Policy = tuple[str, str, str, str]
_OWN_OR_SHARED = "(owner IS NULL AND nebbet_leads()) OR owner = nebbet_member()"
# The shelf that a member's own name belongs to is nobody else's to put up.
_NOT_SQUATTED = "(id NOT LIKE 'own-%' OR id = left('own-' || owner, 64))"
_SHARED = "SELECT 1 FROM shelf s WHERE s.id = {shelf}"
_WRITABLE = (
    "SELECT 1 FROM shelf s WHERE s.id = {shelf} AND "
    "((s.owner IS NULL AND nebbet_leads()) OR s.owner = nebbet_member())"
)
_ON_SHELF = f"EXISTS ({_WRITABLE.format(shelf='template.shelf')})"
_TEMPLATE_SEEN = "SELECT 1 FROM template t WHERE t.id = edition.template"
_TEMPLATE_WRITABLE = (
    "SELECT 1 FROM template t JOIN shelf s ON s.id = t.shelf WHERE t.id = edition.template AND "
    "((s.owner IS NULL AND nebbet_leads()) OR s.owner = nebbet_member())"
)
_OWN = "author = nebbet_member()"
_PLAIN_COLLEAGUE = "coalesce(data::jsonb->>'role', 'colleague') = 'colleague'"
_FILE_SEEN = (
    "EXISTS (SELECT 1 FROM file_claim c WHERE c.sha256 = file.sha256 "
    "AND c.member IN ('', nebbet_member())) OR EXISTS (SELECT 1 FROM file_use u "
    "WHERE u.sha256 = file.sha256 AND (u.template = '' OR EXISTS "
    "(SELECT 1 FROM template t WHERE t.id = u.template)))"
)

# table → policies: name, command, USING, WITH CHECK
_POLICIES: dict[str, list[_Policy]] = {
    "shelf": [
        ("seen", "SELECT", "owner IS NULL OR owner = nebbet_member()", ""),
        ("kept", "ALL", _OWN_OR_SHARED, f"({_OWN_OR_SHARED}) AND {_NOT_SQUATTED}"),
    ],
    "template": [
        ("seen", "SELECT", f"EXISTS ({_SHARED.format(shelf='template.shelf')})", ""),
        ("kept", "ALL", _ON_SHELF, _ON_SHELF),
    ],
    "edition": [
        ("seen", "SELECT", f"EXISTS ({_TEMPLATE_SEEN})", ""),
        ("made", "INSERT", "", f"EXISTS ({_TEMPLATE_WRITABLE})"),
    ],
    "proposal": [
        ("seen", "SELECT", "true", ""),
        ("made", "INSERT", "", f"{_OWN} AND state = 'waiting'"),
        (
            "decided",
            "UPDATE",
            "nebbet_leads() AND state = 'waiting'",
            "nebbet_leads() AND state IN ('accepted', 'declined')",
        ),
        ("withdrawn", "UPDATE", f"{_OWN} AND state = 'waiting'", f"{_OWN} AND state = 'withdrawn'"),
        ("taken out", "DELETE", "nebbet_leads()", ""),
    ],
    "member": [
        ("seen", "SELECT", "true", ""),
        ("kept", "ALL", "nebbet_leads()", "nebbet_leads()"),
        ("own", "UPDATE", "login = session_user", f"login = session_user AND {_PLAIN_COLLEAGUE}"),
    ],
    "setting": [
        ("seen", "SELECT", "true", ""),
        ("kept", "ALL", "nebbet_leads()", "nebbet_leads()"),
        ("words", "ALL", "name = 'words'", "name = 'words'"),
    ],
    "presence": [
        ("seen", "SELECT", "true", ""),
        ("own", "ALL", "member = nebbet_member()", "member = nebbet_member()"),
    ],
    "register": [
        ("seen", "SELECT", "true", ""),
        ("sent", "INSERT", "", "sender = nebbet_member()"),
    ],
    "file": [
        ("seen", "SELECT", _FILE_SEEN, ""),
        ("put in", "INSERT", "", "true"),
        ("kept", "UPDATE", "nebbet_leads()", "nebbet_leads()"),
        ("taken out", "DELETE", "nebbet_leads()", ""),
    ],
    "file_claim": [("own", "SELECT", "member IN ('', nebbet_member())", "")],
    "file_use": [
        (
            "seen",
            "SELECT",
            "template = '' OR EXISTS (SELECT 1 FROM template t WHERE t.id = file_use.template)",
            "",
        ),
    ],
}
# Columns are named: what is not named never changes, and whoever has no right in a whole table
# cannot lock it against the others.
_CHANGED = {
    "setting": "value",
    "member": "data",
    "shelf": "parent, name, position",
    "template": "shelf, title, state, pinned, edition, origin, origin_edition",
    "contact": "data",
    "case_": "data",
    "proposal": "state, answer, decider, decided",
    "presence": "seen",
    "passage": "data",
    "frame": "data",
    "fact": "data",
    "file": "valid_until, name",
}
_ADDED = ("edition", "register", "file", "shelf", "template", "presence", "proposal", "contact",
          "case_", "setting")  # fmt: skip
_LEADS_ALONE = ("passage", "frame", "fact", "file")  # to change; the others have policies
_ALL = (*_CHANGED, "edition", "register", "former", "file_claim", "file_use", "change",
        "alembic_version")  # fmt: skip
_TAKEN_OUT = ("setting", "member", "shelf", "template", "contact", "case_", "proposal", "presence",
              "passage", "frame", "fact", "file")  # fmt: skip
_GRANTS = {
    "lead": [
        f"SELECT ON {', '.join(_ALL)}",
        f"INSERT ON {', '.join(_ADDED)}, passage, frame, fact, former",
        "INSERT (id, data) ON member",
        f"DELETE ON {', '.join(_TAKEN_OUT)}",
        *(f"UPDATE ({columns}) ON {table}" for table, columns in _CHANGED.items()),
    ],
    "colleague": [
        f"SELECT ON {', '.join(_ALL)}",
        f"INSERT ON {', '.join(_ADDED)}",
        *(
            f"UPDATE ({columns}) ON {table}"
            for table, columns in _CHANGED.items()
            if table not in _LEADS_ALONE
        ),
    ],
}
_AS_BEFORE = "The server is as it was"
# SQLSTATE: no such function, no such schema; no right (PostgreSQL documentation, appendix A)
_NOT_MADE, _NO_RIGHT = ("42883", "3F000"), "42501"
_LONGEST = 63  # bytes of a name in PostgreSQL; what is longer is cut off without a word


def role_in(engine: Engine) -> Role:
    """The role of whoever opened a library."""
    if engine.dialect.name == "postgresql":
        with explained("The library cannot be opened"), engine.connect() as connection:
            return role_at(connection)
    return role_for_file(Path(engine.url.database or ""), os.getuid())


def role_at(connection: Connection) -> Role:
    """The role of whoever is connected to a server. Raises Away for whoever has none."""
    try:
        leads = connection.scalar(text(f"SELECT {SCHEMA}.nebbet_leads()"))
    except DBAPIError as error:
        state = getattr(error.orig, "sqlstate", "")
        if state in _NOT_MADE:
            connection.rollback()
            return "lead"  # whoever makes the tables
        if state == _NO_RIGHT:
            raise away("The library cannot be opened", NOT_A_MEMBER) from error
        raise
    return "lead" if leads else "colleague"


def role_for_file(path: Path, user: int) -> Role:
    """The role of a user of this computer, by number, in a library that is a file."""
    if not os.access(path, os.W_OK):
        return "reader"
    return "lead" if path.stat().st_uid == user else "colleague"


def _is_set_up(connection: Connection) -> bool:
    return _has_function(connection, "nebbet_leads")


def _has_function(connection: Connection, name: str) -> bool:
    found = text(
        "SELECT 1 FROM pg_catalog.pg_proc p JOIN pg_catalog.pg_namespace n "
        "ON n.oid = p.pronamespace WHERE p.proname = :name AND n.nspname = :schema"
    )
    return connection.scalar(found, {"name": name, "schema": SCHEMA}) is not None


def group_name(database: str, role: str) -> str:
    """The name of the role of all leads, or of all colleagues, of a library. A long name of a
    database is cut and told apart by a mark: cut by the server, both roles would be one.

    >>> group_name("team", "lead"), len(group_name("x" * 63, "colleague"))
    ('team_lead', 63)
    """
    name = f"{database}_{role}"
    if len(name.encode()) <= _LONGEST:
        return name
    mark = hashlib.sha256(database.encode()).hexdigest()[:10]
    kept = database.encode()[: _LONGEST - len(f"_{mark}_{role}")].decode("utf-8", "ignore")
    return f"{kept}_{mark}_{role}"


def _group(connection: Connection, role: str) -> str:
    database = connection.scalar(text("SELECT current_database()"))
    return _quoted(group_name(str(database), role))


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def _bare(quoted: str) -> str:
    return quoted[1:-1].replace('""', '"')


def _literal(words: str) -> str:
    return "'" + words.replace("'", "''") + "'"


def _run(connection: Connection, statement: str) -> None:
    """A statement in which names of others stand: a colon in them is no parameter."""
    connection.exec_driver_sql(statement.replace("%", "%%"))


def set_up(engine: Engine) -> None:
    """Make the roles of a library on a server, with their rights; may be run again at any time."""
    with explained("The roles cannot be made", _AS_BEFORE), engine.begin() as connection:
        for role in _GRANTS:
            _make_role(connection, _group(connection, role), "NOLOGIN")
        lead, colleague = _group(connection, "lead"), _group(connection, "colleague")
        make_guards(connection, lead, colleague, _literal(_bare(lead)))
        _close_the_rest(connection)
        for role, grants in _GRANTS.items():
            group = _group(connection, role)
            for statement in (
                f"REVOKE ALL ON ALL TABLES IN SCHEMA {SCHEMA} FROM {group}",
                *_without_columns(group),
                f"GRANT USAGE ON SCHEMA {SCHEMA} TO {group}",
                *(f"GRANT {grant} TO {group}" for grant in grants),
            ):
                _run(connection, statement)
        for table, policies in _POLICIES.items():
            _run(connection, f"ALTER TABLE {table} ENABLE ROW LEVEL SECURITY")
            for policy in policies:
                _make_policy(connection, table, *policy)


def _close_the_rest(connection: Connection) -> None:
    """Nobody makes anything in this database, not even for a moment: a temporary table could stand
    in the way of a real one."""
    database = _quoted(str(connection.scalar(text("SELECT current_database()"))))
    for statement in (
        f"REVOKE ALL ON SCHEMA {SCHEMA} FROM PUBLIC",
        f"REVOKE ALL ON ALL TABLES IN SCHEMA {SCHEMA} FROM PUBLIC",
        f"REVOKE TEMPORARY, CREATE ON DATABASE {database} FROM PUBLIC",
    ):
        _run(connection, statement)


def _without_columns(group: str) -> list[str]:
    """Rights in columns are not taken away with those in tables."""
    return [f"REVOKE UPDATE ({columns}) ON {table} FROM {group}" for table, columns in
            _CHANGED.items()]  # fmt: skip


def renew(engine: Engine) -> None:
    """Give the roles their rights in tables that are new, if the library has roles."""
    with engine.connect() as connection:
        known = _is_set_up(connection)
    if known:
        set_up(engine)


def is_needed_unseen(connection: Connection, file: str) -> bool:
    """Whether any edition needs a file, also one on a private shelf that nobody else sees."""
    if connection.dialect.name != "postgresql":
        return False  # in a file everything is seen
    if not _has_function(connection, "nebbet_needs"):
        return False
    return bool(connection.scalar(text(f"SELECT {SCHEMA}.nebbet_needs(:file)"), {"file": file}))


def _make_role(connection: Connection, name: str, words: str) -> None:
    known = text("SELECT 1 FROM pg_catalog.pg_roles WHERE rolname = :plain")
    if connection.scalar(known, {"plain": _bare(name)}) is None:
        _run(connection, f"CREATE ROLE {name} {words}")


def _make_policy(
    connection: Connection, table: str, name: str, command: str, using: str, check: str
) -> None:
    rules = (f" USING ({using})" if using else "") + (f" WITH CHECK ({check})" if check else "")
    named = _quoted(name)
    _run(connection, f"DROP POLICY IF EXISTS {named} ON {table}")
    _run(connection, f"CREATE POLICY {named} ON {table} FOR {command}{rules}")


def enrol(engine: Engine, member: str, login: str, role: Role, password: str = "") -> None:
    """Let a member in under a login of the server, as lead or colleague.

    Raises NebbetError for a member that the library does not know.
    """
    with explained("The member cannot be let in", _AS_BEFORE), engine.begin() as connection:
        name = _quoted(login)
        _make_role(connection, name, "LOGIN")
        _run(connection, f"ALTER ROLE {name} LOGIN")  # back again after they had left
        if password:
            _set_password(connection, login, password)
        for group in _GRANTS:
            act, link = ("GRANT", "TO") if group == role else ("REVOKE", "FROM")
            _run(connection, f"{act} {_group(connection, group)} {link} {name}")
        row = update(schema.member).where(schema.member.c.id == member).values(login=login)
        if not connection.execute(row).rowcount:
            raise NebbetError(
                f"The library knows no member “{member}”", advice="Add the member first"
            )


def dismiss(engine: Engine, member: str) -> None:
    """Take a member's rights away: their login is in no role of the library any more, and cannot
    log in. What they wrote, and who they were, stays."""
    with explained("The member cannot be let go", _AS_BEFORE), engine.begin() as connection:
        login = _login_of(connection, member)
        for group in _GRANTS:
            _run(connection, f"REVOKE {_group(connection, group)} FROM {_quoted(login)}")
        _run(connection, f"ALTER ROLE {_quoted(login)} NOLOGIN")


def _login_of(connection: Connection, member: str) -> str:
    login = connection.scalar(select(schema.member.c.login).where(schema.member.c.id == member))
    if not login:
        raise NebbetError(
            f"“{member}” has no login on this server", advice="nebbet library members lists who has"
        )
    return str(login)


def _set_password(connection: Connection, login: str, password: str) -> None:
    """Give a login a password as libpq's \\password does: what the server gets, and may write into
    its log, is a verifier made here (SCRAM, RFC 5802), never the password."""
    import psycopg

    raw = connection.connection.dbapi_connection
    assert isinstance(raw, psycopg.Connection)
    verifier = raw.pgconn.encrypt_password(
        password.encode(), login.encode(), b"scram-sha-256"
    ).decode("ascii")
    _run(connection, f"ALTER ROLE {_quoted(login)} PASSWORD {_literal(verifier)}")

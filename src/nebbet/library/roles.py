"""Who may do what in a library: a lead changes what all share, a colleague reads and proposes.

On a PostgreSQL server the database itself says so, whatever a client does; in a file, its owner is
the lead.
"""

import os
from pathlib import Path

from sqlalchemy import Connection, Engine, text, update

from nebbet.core.errors import NebbetError
from nebbet.library import schema
from nebbet.library.catalogue import Role

_Policy = tuple[str, str, str, str]
_OWN_OR_SHARED = "(owner IS NULL AND nebbet_leads()) OR owner = nebbet_member()"
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

# table → policies: name, command, USING, WITH CHECK
_POLICIES: dict[str, list[_Policy]] = {
    "shelf": [
        ("seen", "SELECT", "owner IS NULL OR owner = nebbet_member()", ""),
        ("kept", "ALL", _OWN_OR_SHARED, _OWN_OR_SHARED),
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
        ("decided", "UPDATE", "nebbet_leads()", "nebbet_leads()"),
        ("withdrawn", "UPDATE", f"{_OWN} AND state = 'waiting'", f"{_OWN} AND state = 'withdrawn'"),
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
        ("sent", "INSERT", "", "nebbet_leads() OR sender = nebbet_member()"),
    ],
}
_GRANTS = {
    "lead": [
        "SELECT, INSERT, UPDATE, DELETE ON setting, member, shelf, template, passage, frame, fact, "
        "contact, case_, proposal, presence",
        "SELECT, INSERT ON edition, register, former",
        "SELECT, INSERT, DELETE, UPDATE (valid_until, name) ON file",
    ],
    "colleague": [
        "SELECT, INSERT, UPDATE, DELETE ON shelf, template, presence",
        "SELECT, INSERT ON edition, register, file",
        "SELECT, INSERT, UPDATE ON proposal, contact, case_",
        "SELECT, UPDATE ON member",
        "SELECT, INSERT, UPDATE, DELETE ON setting",
        "SELECT ON passage, frame, fact, former",
    ],
}


def role_in(engine: Engine) -> Role:
    """The role of whoever opened a library."""
    if engine.dialect.name == "postgresql":
        with engine.connect() as connection:
            if not _is_set_up(connection):
                return "lead"  # whoever makes the tables
            leads = connection.scalar(text("SELECT nebbet_leads()"))
            return "lead" if leads else "colleague"
    return role_for_file(Path(engine.url.database or ""), os.getuid())


def role_for_file(path: Path, user: int) -> Role:
    """The role of a user of this computer, by number, in a library that is a file."""
    if not os.access(path, os.W_OK):
        return "reader"
    return "lead" if path.stat().st_uid == user else "colleague"


def _is_set_up(connection: Connection) -> bool:
    found = text("SELECT 1 FROM pg_proc WHERE proname = 'nebbet_leads'")
    return connection.scalar(found) is not None


def _group(connection: Connection, role: str) -> str:
    """The database role of all leads, or of all colleagues, of this library."""
    database = connection.scalar(text("SELECT current_database()"))
    return _quoted(f"{database}_{role}")


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def _bare(quoted: str) -> str:
    return quoted[1:-1].replace('""', '"')


def _literal(words: str) -> str:
    return "'" + words.replace("'", "''") + "'"


def set_up(engine: Engine) -> None:
    """Make the roles of a library on a server, with their rights; may be run again at any time."""
    with engine.begin() as connection:
        for role in _GRANTS:
            _make_role(connection, _group(connection, role), "NOLOGIN")
        lead = _group(connection, "lead")
        _make_functions(connection, lead)
        for role, grants in _GRANTS.items():
            group = _group(connection, role)
            for statement in (
                f"REVOKE ALL ON ALL TABLES IN SCHEMA public FROM {group}",
                f"GRANT USAGE ON SCHEMA public TO {group}",
                f"GRANT SELECT ON alembic_version TO {group}",
                *(f"GRANT {grant} TO {group}" for grant in grants),
            ):
                connection.execute(text(statement))
        for table, policies in _POLICIES.items():
            connection.execute(text(f"ALTER TABLE {table} ENABLE ROW LEVEL SECURITY"))
            for policy in policies:
                _make_policy(connection, table, *policy)


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
    known = text("SELECT 1 FROM pg_proc WHERE proname = 'nebbet_needs'")
    if connection.scalar(known) is None:
        return False
    return bool(connection.scalar(text("SELECT nebbet_needs(:file)"), {"file": file}))


def _make_role(connection: Connection, name: str, words: str) -> None:
    known = text("SELECT 1 FROM pg_roles WHERE rolname = :plain")
    if connection.scalar(known, {"plain": _bare(name)}) is None:
        connection.execute(text(f"CREATE ROLE {name} {words}"))


def _make_functions(connection: Connection, lead: str) -> None:
    """Who is at the other end: by the login of the session, which SET ROLE does not change."""
    group = _literal(_bare(lead))
    for statement in (
        "CREATE OR REPLACE FUNCTION nebbet_member() RETURNS text LANGUAGE sql STABLE "
        "SECURITY DEFINER SET search_path = public AS "
        "$$ SELECT id FROM member WHERE login = session_user $$",
        "CREATE OR REPLACE FUNCTION nebbet_needs(file text) RETURNS boolean LANGUAGE sql STABLE "
        "SECURITY DEFINER SET search_path = public AS "
        "$$ SELECT EXISTS (SELECT 1 FROM edition WHERE position(file IN content) > 0) $$",
        "CREATE OR REPLACE FUNCTION nebbet_leads() RETURNS boolean LANGUAGE sql STABLE AS "
        f"$$ SELECT pg_has_role(session_user, {group}, 'member') $$",
    ):
        connection.execute(text(statement))


def _make_policy(
    connection: Connection, table: str, name: str, command: str, using: str, check: str
) -> None:
    rules = (f" USING ({using})" if using else "") + (f" WITH CHECK ({check})" if check else "")
    connection.execute(text(f"DROP POLICY IF EXISTS {name} ON {table}"))
    connection.execute(text(f"CREATE POLICY {name} ON {table} FOR {command}{rules}"))


def enrol(engine: Engine, member: str, login: str, role: Role, password: str = "") -> None:
    """Let a member in under a login of the server, as lead or colleague.

    Raises NebbetError for a member that the library does not know.
    """
    with engine.begin() as connection:
        name = _quoted(login)
        _make_role(connection, name, "LOGIN")
        if password:
            connection.execute(text(f"ALTER ROLE {name} PASSWORD {_literal(password)}"))
        for group in _GRANTS:
            act, link = ("GRANT", "TO") if group == role else ("REVOKE", "FROM")
            connection.execute(text(f"{act} {_group(connection, group)} {link} {name}"))
        row = update(schema.member).where(schema.member.c.id == member).values(login=login)
        if not connection.execute(row).rowcount:
            raise NebbetError(
                f"The library knows no member “{member}”", advice="Add the member first"
            )

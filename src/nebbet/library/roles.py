"""Who may do what in a library: a lead changes what all share, a colleague reads and proposes.

On a PostgreSQL server the database itself says so, whatever a client does; in a file, its owner is
the lead.
"""

import os
from pathlib import Path

from sqlalchemy import Connection, Engine, text
from sqlalchemy.exc import DBAPIError

from nebbet.library.engine import explained
from nebbet.library.groups import (
    BOTH,
    COLLEAGUE,
    LEAD,
    group_name,
    is_role,
    literal,
    quoted,
    run,
    settle_mark,
)
from nebbet.library.guards import SCHEMA, make_guards
from nebbet.library.holdings import Role
from nebbet.library.postgres import NOT_A_MEMBER, away
from nebbet.library.rights import CHANGED, GRANTS, POLICIES

_AS_BEFORE = "The server is as it was"
# SQLSTATE: no such function, no such schema; no right (PostgreSQL documentation, appendix A)
_NOT_MADE, _NO_RIGHT = ("42883", "3F000"), "42501"


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


def has_function(connection: Connection, name: str) -> bool:
    """Whether the library's schema has a function."""
    found = text(
        "SELECT 1 FROM pg_catalog.pg_proc p JOIN pg_catalog.pg_namespace n "
        "ON n.oid = p.pronamespace WHERE p.proname = :name AND n.nspname = :schema"
    )
    return connection.scalar(found, {"name": name, "schema": SCHEMA}) is not None


def set_up(engine: Engine) -> None:
    """Make the roles of a library on a server, with their rights; may be run again at any time."""
    with explained("The roles cannot be made", _AS_BEFORE), engine.begin() as connection:
        set_up_in(connection)


def set_up_in(connection: Connection) -> str:
    """As `set_up`, inside a transaction; returns what the roles' names begin with."""
    base = settle_mark(connection)
    names = {role: group_name(base, role) for role in BOTH}
    for name in names.values():
        if not is_role(connection, name):
            run(connection, f"CREATE ROLE {quoted(name)} NOLOGIN")
    lead, colleague = quoted(names[LEAD]), quoted(names[COLLEAGUE])
    make_guards(connection, lead, colleague, *map(literal, names.values()))
    _close_the_rest(connection)
    for role, grants in GRANTS.items():
        group = quoted(names[role])
        for statement in (
            f"REVOKE ALL ON ALL TABLES IN SCHEMA {SCHEMA} FROM {group}",
            *_without_columns(group),
            f"GRANT USAGE ON SCHEMA {SCHEMA} TO {group}",
            *(f"GRANT {grant} TO {group}" for grant in grants),
        ):
            run(connection, statement)
    for table, policies in POLICIES.items():
        run(connection, f"ALTER TABLE {table} ENABLE ROW LEVEL SECURITY")
        for policy in policies:
            _make_policy(connection, table, *policy)
    return base


def _close_the_rest(connection: Connection) -> None:
    """Nobody makes anything in this database, not even for a moment: a temporary table could stand
    in the way of a real one."""
    database = quoted(str(connection.scalar(text("SELECT current_database()"))))
    for statement in (
        f"REVOKE ALL ON SCHEMA {SCHEMA} FROM PUBLIC",
        f"REVOKE ALL ON ALL TABLES IN SCHEMA {SCHEMA} FROM PUBLIC",
        f"REVOKE TEMPORARY, CREATE ON DATABASE {database} FROM PUBLIC",
    ):
        run(connection, statement)


def _without_columns(group: str) -> list[str]:
    """Rights in columns are not taken away with those in tables."""
    return [f"REVOKE UPDATE ({columns}) ON {table} FROM {group}" for table, columns in
            CHANGED.items()]  # fmt: skip


def is_needed_unseen(connection: Connection, file: str) -> bool:
    """Whether any edition needs a file, also one on a private shelf that nobody else sees."""
    if connection.dialect.name != "postgresql":
        return False  # in a file everything is seen
    if not has_function(connection, "nebbet_needs"):
        return False
    return bool(connection.scalar(text(f"SELECT {SCHEMA}.nebbet_needs(:file)"), {"file": file}))


def _make_policy(
    connection: Connection, table: str, name: str, command: str, using: str, check: str
) -> None:
    rules = (f" USING ({using})" if using else "") + (f" WITH CHECK ({check})" if check else "")
    named = quoted(name)
    run(connection, f"DROP POLICY IF EXISTS {named} ON {table}")
    run(connection, f"CREATE POLICY {named} ON {table} FOR {command}{rules}")

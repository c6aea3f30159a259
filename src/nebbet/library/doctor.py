"""What is wrong with the server of a library, in one line each, with what to do about it."""

from collections.abc import Callable, Iterator
from datetime import datetime, timedelta
from typing import Any

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, Engine, select, text

from nebbet.core.errors import UNREADABLE
from nebbet.core.records import Member
from nebbet.library import migrate, schema
from nebbet.library.engine import explained
from nebbet.library.groups import BOTH, group_name, is_role, read_mark
from nebbet.library.guards import SCHEMA
from nebbet.library.rights import POLICIES
from nebbet.library.setting_up import OLDEST_SERVER

_CLOCK = timedelta(seconds=60)  # that two clocks may differ
_READY = "nebbet library init says and does what is missing"


class Finding(Struct, frozen=True):
    """Something that is wrong, and what to do."""

    what: str
    remedy: str


def look(engine: Engine, now: datetime) -> list[Finding]:
    """All that is wrong, the gravest first. now is the moment on this machine. Raises Away where
    the server cannot be worked with at all."""
    with explained("The server cannot be looked at"), engine.connect() as connection:
        found = [*_basis(connection)]
        if found:
            return found
        return [finding for one in _LOOKS for finding in one(connection, now)]


def _ask(connection: Connection, question: str, **values: object) -> Any:
    return connection.scalar(text(question), values)


def _basis(connection: Connection) -> Iterator[Finding]:
    if int(_ask(connection, "SHOW server_version_num")) < OLDEST_SERVER:
        yield Finding("The server is older than PostgreSQL 14", "Use a newer one for the library")
    elif migrate.look_on_server(connection.engine) != "current":
        yield Finding("There is no library of this Nebbet in the database", _READY)


def _roles(connection: Connection, _now: datetime) -> Iterator[Finding]:
    mark = read_mark(connection)
    if mark is None or not all(is_role(connection, group_name(mark.groups, r)) for r in BOTH):
        yield Finding("The roles of leads and colleagues are missing", _READY)
        return
    open_tables = _ask(
        connection,
        "SELECT string_agg(c.relname, ', ') FROM pg_catalog.pg_class c "
        "JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = :schema "
        "AND c.relname = ANY(:tables) AND NOT c.relrowsecurity",
        schema=SCHEMA,
        tables=list(POLICIES),
    )
    if open_tables:
        yield Finding(f"Rows are not guarded in: {open_tables}", _READY)
    if _ask(connection, f"SELECT has_schema_privilege('public', '{SCHEMA}', 'USAGE')"):
        yield Finding("Everybody on the server may look into the library", _READY)


def _people(connection: Connection, _now: datetime) -> Iterator[Finding]:
    mark = read_mark(connection)
    if mark is None:
        return
    table = schema.member.c
    rows = connection.execute(select(table.id, table.data, table.login)).all()
    leads = 0
    for key, data, login in rows:
        try:
            member = msgspec.json.decode(data, type=Member)
        except UNREADABLE:
            continue  # nebbet library check names it
        if not login or member.left:
            continue
        group = group_name(mark.groups, "lead" if member.role == "lead" else "colleague")
        again = f"nebbet library members change {key} mends it"
        if not is_role(connection, login):
            yield Finding(f"{member.name} has no login {login} on the server", _READY)
            continue
        asked = "SELECT pg_has_role(:login, :group, 'member')"
        if not _ask(connection, asked, login=login, group=group):
            yield Finding(f"{member.name} is not in the role {group}", again)
        leads += member.role == "lead"
        ended = "SELECT rolvaliduntil < now() FROM pg_catalog.pg_roles WHERE rolname = :login"
        if _ask(connection, ended, login=login):
            yield Finding(
                f"The password of {member.name} has run out",
                f"nebbet library members password {key} --one-time",
            )
    if not leads:
        yield Finding("Nobody can log in as a lead", "nebbet library members add LOGIN --lead …")


def _strangers(connection: Connection, _now: datetime) -> Iterator[Finding]:
    mark = read_mark(connection)
    if mark is None:
        return
    names = connection.execute(
        text(
            "SELECT DISTINCT r.rolname FROM pg_catalog.pg_auth_members a "
            "JOIN pg_catalog.pg_roles r ON r.oid = a.member "
            "JOIN pg_catalog.pg_roles g ON g.oid = a.roleid "
            "WHERE g.rolname = ANY(:groups) AND r.rolcanlogin AND NOT r.rolsuper "
            "AND r.oid <> (SELECT nspowner FROM pg_catalog.pg_namespace "
            f"WHERE nspname = '{SCHEMA}') "
            f"AND NOT EXISTS (SELECT 1 FROM {SCHEMA}.member m WHERE m.login = r.rolname)"
        ),
        {"groups": [group_name(mark.groups, role) for role in BOTH]},
    )
    for (name,) in names:
        yield Finding(
            f"The login {name} has rights in the library and is no member's",
            f"nebbet library members add {name} …, or take its roles away",
        )


def _the_line(connection: Connection, now: datetime) -> Iterator[Finding]:
    address = _ask(connection, "SELECT inet_client_addr()::text".replace("::", "\\:\\:"))
    secured = _ask(connection, "SELECT ssl FROM pg_stat_ssl WHERE pid = pg_backend_pid()")
    if address and not address.startswith(("127.", "::1")) and not secured:
        yield Finding(
            "The line to the server is not encrypted",
            "Give the server a certificate, and add ?sslmode=verify-full to the library's address",
        )
    if _ask(connection, "SHOW password_encryption") != "scram-sha-256":
        yield Finding(
            "The server keeps passwords in an old way",
            "Set password_encryption = 'scram-sha-256' and give everybody a new password",
        )
    theirs: datetime = _ask(connection, "SELECT now()")
    if abs(theirs - now) > _CLOCK:
        yield Finding(
            f"The server's clock and this one differ by {abs(theirs - now).seconds // 60 + 1} min",
            "Let both follow a time server",
        )


def _doors(connection: Connection, _now: datetime) -> Iterator[Finding]:
    if not _ask(connection, "SELECT rolsuper FROM pg_roles WHERE rolname = session_user"):
        return  # nobody else may read what the file says
    rules = connection.execute(
        text(
            "SELECT DISTINCT type, auth_method FROM pg_catalog.pg_hba_file_rules "
            "WHERE error IS NULL AND type LIKE 'host%' "
            "AND auth_method IN ('trust', 'password', 'md5')"
        )
    )
    for kind, method in rules:
        yield Finding(
            f"pg_hba.conf lets people in by {method} ({kind})",
            "Write hostssl … scram-sha-256 there instead",
        )


def _limits(connection: Connection, _now: datetime) -> Iterator[Finding]:
    most = int(_ask(connection, "SHOW max_connections"))
    people = _ask(connection, f"SELECT count(*) FROM {SCHEMA}.member WHERE login IS NOT NULL")
    needed = 2 * people + 10
    if needed > most:
        yield Finding(
            f"The server takes {most} connections, and {people} members may need {needed} at times",
            f"Set max_connections to {needed} or more",
        )
    oldest = _ask(
        connection,
        "SELECT max(now() - xact_start) FROM pg_catalog.pg_stat_activity "
        "WHERE state = 'idle in transaction' AND datname = current_database()",
    )
    if oldest and oldest > timedelta(minutes=10):
        yield Finding(
            "Somebody has held a transaction open for more than ten minutes",
            "Set idle_in_transaction_session_timeout = '10min'",
        )


_LOOKS: tuple[Callable[[Connection, datetime], Iterator[Finding]], ...] = (
    _roles, _people, _strangers, _the_line, _doors, _limits,
)  # fmt: skip

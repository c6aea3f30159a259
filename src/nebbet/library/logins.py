"""Who may log in to a library on a server, and as what.

The database does it, by functions of its own: whoever keeps the server and every lead may let
people in and let them go, and nobody else; a lead never touches a login of something else.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from secrets import choice
from typing import Any

import msgspec
import psycopg
from msgspec.structs import replace
from sqlalchemy import Connection, Engine, select, text
from sqlalchemy.exc import DBAPIError

from nebbet.core.errors import NebbetError
from nebbet.core.records import Member
from nebbet.library import schema
from nebbet.library.documents import WHATEVER, Seen, put_document
from nebbet.library.engine import explained, reading
from nebbet.library.guards import SCHEMA
from nebbet.library.holdings import Role

_AS_BEFORE = "The server is as it was"
_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"  # none that is read as another
_REFUSED = "NB001"  # the SQLSTATE with which our own functions say no, in words


def let_in(
    engine: Engine,
    member: Member,
    login: str,
    *,
    password: str = "",
    until: datetime | None = None,
    seen: Seen = WHATEVER,
) -> None:
    """Let a member in under a login of the server, as what they are; new ones and known ones, and
    those who had left. A password that holds until a moment is one to begin with. seen is the
    member as they were shown.

    Raises NebbetError where that may not be, and nothing is changed then.
    """
    member = replace(member, left=False)
    with _acting(engine, "The member cannot be let in") as one:
        put_document(one, schema.member, "id", member.id, member, seen)
        _call(
            one,
            "nebbet_let_in(:member, :login, :leads, :verifier, :until)",
            member=member.id,
            login=login,
            leads=member.role == "lead",
            verifier=_verifier(one, login, password) if password else None,
            until=until.isoformat() if until else None,
        )


def let_go(engine: Engine, member: str) -> None:
    """Somebody left the team: they cannot log in any more, and are in no role. What they wrote, and
    who they were, stays."""
    with _acting(engine, "The member cannot be let go") as one:
        found = _member(one, member)
        put_document(one, schema.member, "id", member, replace(found, left=True))
        _call(one, "nebbet_let_go(:member)", member=member)


def enrol(engine: Engine, member: str, login: str, role: Role, password: str = "") -> None:
    """Let a member that the library knows in under a login, as lead or colleague."""
    with explained("The member cannot be let in"), engine.connect() as connection:
        found = _member(connection, member)
    let_in(engine, replace(found, role=role), login, password=password)


def logins(engine: Engine) -> dict[str, str]:
    """The login of each member that has one."""
    table = schema.member.c
    with explained("The logins cannot be read"), reading(engine) as connection:
        rows = connection.execute(select(table.id, table.login).where(table.login.is_not(None)))
        return {row[0]: row[1] for row in rows}


def one_time() -> str:
    """A password to begin with, that can be read out on the telephone."""
    return "-".join("".join(choice(_LETTERS) for _ in range(4)) for _ in range(4))


def choose_password(engine: Engine, password: str) -> None:
    """Give one's own login another password, for good."""
    with _acting(engine, "The password cannot be changed") as connection:
        login = str(connection.scalar(text("SELECT session_user")))
        verifier = _verifier(connection, login, password)
        _call(connection, "nebbet_own_password(:verifier)", verifier=verifier)


def ends(connection: Connection) -> datetime | None:
    """Until when one's own password holds; nothing for good."""
    asked = (
        "SELECT rolvaliduntil FROM pg_catalog.pg_roles WHERE rolname = session_user "
        "AND isfinite(rolvaliduntil)"
    )
    found: datetime | None = connection.scalar(text(asked))
    return found


def _member(connection: Connection, member: str) -> Member:
    held = connection.scalar(select(schema.member.c.data).where(schema.member.c.id == member))
    if held is None:
        raise NebbetError(
            f"The library knows no member “{member}”", advice="nebbet library members lists them"
        )
    return msgspec.json.decode(held, type=Member)


def _call(connection: Connection, call: str, **values: object) -> None:
    connection.execute(text(f"SELECT {SCHEMA}.{call}"), values)


@contextmanager
def _acting(engine: Engine, what: str) -> Iterator[Connection]:
    """A transaction; what a function of the database refuses is said in its words."""
    with explained(what, _AS_BEFORE):
        try:
            with engine.begin() as connection:
                yield connection
        except DBAPIError as error:
            origin: Any = error.orig
            if getattr(origin, "sqlstate", "") != _REFUSED:
                raise
            words, _, advice = str(origin.diag.message_primary).partition("; ")
            raise NebbetError(words, kept=_AS_BEFORE, advice=advice) from error


def _verifier(connection: Connection, login: str, password: str) -> str:
    """What a server keeps of a password, as libpq's \\password makes it: what it gets, and may
    write into its log, is a verifier made here (SCRAM, RFC 5802), never the password."""
    raw = connection.connection.dbapi_connection
    assert isinstance(raw, psycopg.Connection)
    made = raw.pgconn.encrypt_password(password.encode(), login.encode(), b"scram-sha-256")
    return made.decode("ascii")

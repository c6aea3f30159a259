"""The two roles of a library's database: that of all leads, and that of all colleagues.

Their names hang on a mark in the database itself, not on its name: a library that is brought back
under another name finds its roles, and a copy beside it gets its own. The mark is the comment of
the library's schema: whoever keeps the database sets it, nobody else can, and every dump has it.
"""

import hashlib
from secrets import token_hex

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, text

from nebbet.core.errors import UNREADABLE
from nebbet.library.change_log import whose_log
from nebbet.library.guards import SCHEMA

LEAD, COLLEAGUE = "lead", "colleague"
BOTH = (LEAD, COLLEAGUE)
_LONGEST = 63  # bytes of a name in PostgreSQL; what is longer is cut off without a word


class Mark(Struct, frozen=True):
    """What the names of the roles begin with, and in which database that was said."""

    groups: str
    home: str


def group_name(base: str, role: str) -> str:
    """The name of the role of all leads, or of all colleagues. A long base is cut and told apart by
    a mark: cut by the server, both roles would be one.

    >>> group_name("team", "lead"), len(group_name("x" * 63, "colleague"))
    ('team_lead', 63)
    """
    name = f"{base}_{role}"
    if len(name.encode()) <= _LONGEST:
        return name
    mark = hashlib.sha256(base.encode()).hexdigest()[:10]
    kept = base.encode()[: _LONGEST - len(f"_{mark}_{role}")].decode("utf-8", "ignore")
    return f"{kept}_{mark}_{role}"


def read_mark(connection: Connection) -> Mark | None:
    """The mark of a library; nothing where it has none yet."""
    asked = f"SELECT obj_description(to_regnamespace('{SCHEMA}')::oid, 'pg_namespace')"
    said = connection.scalar(text(asked.replace("::", "\\:\\:")))
    try:
        return msgspec.json.decode(said, type=Mark) if said else None
    except UNREADABLE:
        return None


def base_of(connection: Connection) -> str:
    """What the names of a library's roles begin with."""
    mark = read_mark(connection)
    return mark.groups if mark else str(connection.scalar(text("SELECT current_database()")))


def settle_mark(connection: Connection) -> str:
    """Give a library its mark, if it has none that is its own; what its roles' names begin with."""
    mark, here = read_mark(connection), whose_log(connection)
    base = base_of(connection)
    if mark is None and not is_role(connection, group_name(base, LEAD)):
        base = f"{base}_{token_hex(3)}"
    elif mark and mark.home != here and is_role(connection, group_name(base, LEAD)):
        # Brought back, or copied, beside the one it comes from: those are that one's people.
        base = f"{connection.scalar(text('SELECT current_database()'))}_{token_hex(3)}"
    made = msgspec.json.encode(Mark(base, here)).decode()
    run(connection, f"COMMENT ON SCHEMA {SCHEMA} IS {literal(made)}")
    return base


def is_role(connection: Connection, name: str) -> bool:
    """Whether the server has a role of that name."""
    known = text("SELECT 1 FROM pg_catalog.pg_roles WHERE rolname = :name")
    return connection.scalar(known, {"name": name}) is not None


def quoted(name: str) -> str:
    """A name as it stands in a statement."""
    return '"' + name.replace('"', '""') + '"'


def literal(words: str) -> str:
    """A text as it stands in a statement."""
    return "'" + words.replace("'", "''") + "'"


def run(connection: Connection, statement: str) -> None:
    """A statement in which names of others stand: a colon in them is no parameter."""
    connection.exec_driver_sql(statement.replace("%", "%%"))

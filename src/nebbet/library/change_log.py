"""The log of changes that a library's database keeps."""

from sqlalchemy import Connection, text

from nebbet.library.changes import EVERYTHING, Change


def mark_now(connection: Connection) -> str:
    """Where the log stands, and whose log it is. Asked before the rows are read: what changes
    meanwhile is told twice rather than never."""
    return str(connection.scalar(text(_MARK[connection.dialect.name])))


def since(connection: Connection, mark: str) -> Change:
    """What changed since the log stood at a mark; everything where it does not reach back so far,
    or is the log of another database: one that was brought back from a backup, say."""
    whose, _, number = mark.rpartition(":")
    if not number.isdigit():
        return EVERYTHING
    later, at_mark = _SINCE[connection.dialect.name]
    asked = {"mark": number, "whose": whose}
    oldest = connection.execute(text(at_mark), asked).one()
    if not oldest.same or (oldest.number is not None and oldest.number > 1 and oldest.beyond):
        return EVERYTHING
    keys: dict[str, set[str]] = {}
    for kind, key in connection.execute(text(later), {"mark": number}):
        keys.setdefault(kind.rstrip("_"), set()).add(key)
    return Change({kind: frozenset(found) for kind, found in keys.items()})


def whose_log(connection: Connection) -> str:
    """Which database on which server this is, as no other one is."""
    return str(connection.scalar(text(f"SELECT {_WHOSE}")))


# A database on a server is told by the mark of its cluster and its number there; a file by itself.
_WHOSE = (
    "(SELECT system_identifier::text FROM pg_control_system()) || '.' || "
    "(SELECT oid::text FROM pg_database WHERE datname = current_database())"
).replace("::", "\\:\\:")
_MARK = {
    "sqlite": "SELECT coalesce((SELECT seq FROM sqlite_sequence WHERE name = 'change'), 0)",
    "postgresql": f"SELECT {_WHOSE} || ':' || pg_snapshot_xmin(pg_current_snapshot())",
}
# By the kind of database: the entries after a mark, and the oldest one that is kept, with whether
# it lies beyond the mark; same says that the log knows the mark at all.
_SINCE = {
    "sqlite": (
        "SELECT DISTINCT kind, key FROM change WHERE number > CAST(:mark AS INTEGER)",
        "SELECT min(number) AS number, min(number) > CAST(:mark AS INTEGER) + 1 AS beyond, "
        "CAST(:mark AS INTEGER) <= coalesce((SELECT seq FROM sqlite_sequence WHERE name = 'change')"
        ", 0) AND :whose = '' AS same FROM change",
    ),
    "postgresql": (
        "SELECT DISTINCT kind, key FROM change WHERE made >= CAST(:mark AS xid8)",
        "SELECT min(number) AS number, min(made) > CAST(:mark AS xid8) AS beyond, "
        "CAST(:mark AS xid8) <= pg_snapshot_xmax(pg_current_snapshot()) "
        f"AND :whose = {_WHOSE} AS same FROM change",
    ),
}

"""The log of changes that a library's database keeps."""

from sqlalchemy import Connection, text

from nebbet.library.changes import EVERYTHING, Change


def mark_now(connection: Connection) -> str:
    """Where the log stands, and whose log it is. Asked before the rows are read: what changes
    meanwhile is told twice rather than never."""
    return str(connection.scalar(text(_MARK[connection.dialect.name])))


def since(connection: Connection, mark: str) -> tuple[str, Change]:
    """Where the log stands, and what changed since it stood at a mark; everything where it does not
    reach back so far, or is the log of another database: one that was brought back from a backup,
    say."""
    whose, _, number = mark.rpartition(":")
    if not number.isdigit():
        return mark_now(connection), EVERYTHING
    state, later = _SINCE[connection.dialect.name]
    at = connection.execute(text(state), {"mark": number, "whose": whose}).one()
    if not at.same or (at.oldest is not None and at.oldest > 1 and at.beyond):
        return str(at.now), EVERYTHING
    keys: dict[str, set[str]] = {}
    for kind, key in connection.execute(text(later), {"mark": number}) if at.more else ():
        keys.setdefault(kind.rstrip("_"), set()).add(key)
    return str(at.now), Change({kind: frozenset(found) for kind, found in keys.items()})


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
# By the kind of database: where the log stands, and how that is to a mark; then the entries since.
# same: it is a mark of this log; oldest: the number of the first entry that is kept; beyond: that
# lies after the mark; more: some were made since.
_SINCE = {
    "sqlite": (
        f"SELECT ({_MARK['sqlite']}) AS now, min(number) AS oldest, "
        "min(number) > CAST(:mark AS INTEGER) + 1 AS beyond, "
        "max(number) > CAST(:mark AS INTEGER) AS more, "
        f"CAST(:mark AS INTEGER) <= ({_MARK['sqlite']}) AND :whose = '' AS same FROM change",
        "SELECT DISTINCT kind, key FROM change WHERE number > CAST(:mark AS INTEGER)",
    ),
    "postgresql": (
        f"SELECT ({_MARK['postgresql']}) AS now, (SELECT min(number) FROM change) AS oldest, "
        "(SELECT min(made) > CAST(:mark AS xid8) FROM change) AS beyond, "
        "EXISTS (SELECT 1 FROM change WHERE made >= CAST(:mark AS xid8)) AS more, "
        "CAST(:mark AS xid8) <= pg_snapshot_xmax(pg_current_snapshot()) "
        f"AND :whose = {_WHOSE} AS same",
        "SELECT DISTINCT kind, key FROM change WHERE made >= CAST(:mark AS xid8)",
    ),
}

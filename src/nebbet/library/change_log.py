"""The log of changes that a library's database keeps."""

from sqlalchemy import Connection, text

from nebbet.library.changes import EVERYTHING, Change


def mark_now(connection: Connection) -> str:
    """Where the log stands. Asked before the rows are read: what changes meanwhile is told twice
    rather than never."""
    if connection.dialect.name == "postgresql":
        found = connection.scalar(text("SELECT pg_snapshot_xmin(pg_current_snapshot())::text"))
    else:
        found = connection.scalar(
            text("SELECT coalesce((SELECT seq FROM sqlite_sequence WHERE name = 'change'), 0)")
        )
    return str(found)


def since(connection: Connection, mark: str) -> Change:
    """What changed since the log stood at a mark; everything where it does not reach back so
    far."""
    if not mark.isdigit():
        return EVERYTHING
    later, at_mark = _SINCE[connection.dialect.name]
    oldest = connection.execute(text(at_mark), {"mark": mark}).one()
    if oldest.number is not None and oldest.number > 1 and oldest.beyond:
        return EVERYTHING
    keys: dict[str, set[str]] = {}
    for kind, key in connection.execute(text(later), {"mark": mark}):
        keys.setdefault(kind.rstrip("_"), set()).add(key)
    return Change({kind: frozenset(found) for kind, found in keys.items()})


# By the kind of database: the entries after a mark, and the oldest one that is kept, with whether
# it lies beyond the mark.
_SINCE = {
    "sqlite": (
        "SELECT DISTINCT kind, key FROM change WHERE number > CAST(:mark AS INTEGER)",
        "SELECT min(number) AS number, min(number) > CAST(:mark AS INTEGER) + 1 AS beyond "
        "FROM change",
    ),
    "postgresql": (
        "SELECT DISTINCT kind, key FROM change WHERE made >= CAST(:mark AS xid8)",
        "SELECT min(number) AS number, min(made) > CAST(:mark AS xid8) AS beyond FROM change",
    ),
}

"""Opening the library of a team for somebody at a keyboard."""

from nebbet.library.holdings import Role
from nebbet.library.local_copy import LocalCopy
from nebbet.library.postgres import postgres_engine
from nebbet.library.server_line import ServerLine
from nebbet.library.team import TeamLibrary
from nebbet.library.waiting import Queue


def open_team(url: str, role: Role | None, copy: LocalCopy, queue: Queue) -> TeamLibrary:
    """Open a library on a server: by the copy of it at once, where there is one, and the server is
    asked afterwards. Where it cannot be worked with, the library says so and is empty without a
    copy."""
    line = ServerLine()
    engine = postgres_engine(url, line)
    kept = copy.read()
    made = TeamLibrary(
        engine,
        role or (kept.role if kept else "colleague"),
        copy,
        queue,
        line,
        fixed_role=bool(role),
        kept=kept,
    )
    if kept is None:
        made.meet()
    return made

"""Making a database on a server ready for a team, and mending what is missing in it."""

from collections.abc import Callable

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, Engine, select, text

from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.records import Member
from nebbet.library import migrate, schema
from nebbet.library.engine import explained
from nebbet.library.groups import BOTH, base_of, group_name, is_role, quoted, read_mark, run
from nebbet.library.guards import SCHEMA
from nebbet.library.roles import has_function, set_up_in

OLDEST_SERVER = 140000  # PostgreSQL 14, as server_version_num has it
_AS_BEFORE = "The server is as it was"


class Needed(Struct, frozen=True):
    """A right that making a library ready needs, and whether it is there."""

    words: str
    remedy: str
    there: bool


def rights_needed(engine: Engine) -> list[Needed]:
    """What the login needs on the server to make a library ready, each with whether it has it."""
    with explained("The server cannot be asked"), engine.connect() as connection:
        version = int(connection.scalar(text("SHOW server_version_num")) or 0)
        login = quoted(str(connection.scalar(text("SELECT session_user"))))
        database = quoted(str(connection.scalar(text("SELECT current_database()"))))
        may = connection.execute(text(_RIGHTS)).one()
    return [
        Needed(
            "PostgreSQL 14 or newer", "Use a newer server for the library", version >= OLDEST_SERVER
        ),
        Needed(
            "to make roles",
            f"As a superuser: ALTER ROLE {login} CREATEROLE;",
            bool(may.makes_roles),
        ),
        Needed(
            "to own the database, or what Nebbet made in it",
            f"As a superuser: ALTER DATABASE {database} OWNER TO {login};",
            bool(may.owns),
        ),
    ]


_RIGHTS = f"""SELECT
    (SELECT rolsuper OR rolcreaterole FROM pg_catalog.pg_roles WHERE rolname = session_user)
        AS makes_roles,
    (SELECT pg_has_role(session_user, datdba, 'usage') FROM pg_catalog.pg_database
        WHERE datname = current_database()) AND coalesce((SELECT
        pg_has_role(session_user, nspowner, 'usage') FROM pg_catalog.pg_namespace
        WHERE nspname = '{SCHEMA}'), true) AS owns"""


def require_rights(engine: Engine) -> None:
    """Raise NebbetError with the first right that is missing, and how it is given."""
    missing = [needed for needed in rights_needed(engine) if not needed.there]
    if missing:
        raise NebbetError(
            f"This login may not make a library ready: it needs {missing[0].words}",
            kept=_AS_BEFORE,
            advice=missing[0].remedy.rstrip(";"),
        )


def make_ready(engine: Engine, back_up: Callable[[], object] = lambda: None) -> list[str]:
    """Make an empty database a library with its roles, bring an older one up to date, and mend what
    is missing in one, after it was brought back from a backup, say; what was done, in sentences.
    back_up is called before anything that is there is brought up to date.

    Raises NebbetError where a right is missing or the database holds something else; then nothing
    was changed.
    """
    require_rights(engine)
    found = migrate.look_on_server(engine)
    if found == "older":
        back_up()
    done = []
    with explained("The library cannot be made ready", _AS_BEFORE), engine.connect() as connection:
        if found != "current":
            migrate.upgrade_in(connection)
            words = {
                "nothing": "The library was made",
                "older": "The library was brought up to date",
            }
            done.append(words[found])
        done += mend_roles(connection)
        connection.commit()
    return done


def mend_roles(connection: Connection) -> list[str]:
    """Make what the roles and logins lack; what that was."""
    before, done = base_of(connection), []
    known = has_function(connection, "nebbet_leads") and read_mark(connection) is not None
    there = {
        name for name in (group_name(before, role) for role in BOTH) if is_role(connection, name)
    }
    base = set_up_in(connection)
    made = [name for name in (group_name(base, role) for role in BOTH) if name not in there]
    if not known:
        words = f"The roles {' and '.join(made)} were made, with their rights"
        done.append(words if made else "The roles got the rights of this Nebbet")
    elif base != before:
        done.append(
            "This database is a copy of another one: it has roles of its own now, "
            f"{' and '.join(made)}"
        )
    elif made:
        done.append(f"Roles that were missing were made: {', '.join(made)}")
    return done + _mend_logins(connection, base)


def _mend_logins(connection: Connection, base: str) -> list[str]:
    """Members who had a login have it, in the role that they are."""
    done = []
    table = schema.member.c
    rows = connection.execute(select(table.data, table.login).where(table.login.is_not(None)))
    for data, login in rows.all():
        try:
            member = msgspec.json.decode(data, type=Member)
        except UNREADABLE:
            continue  # nebbet library check names it
        if member.left:
            continue
        group = group_name(base, "lead" if member.role == "lead" else "colleague")
        if not is_role(connection, login):
            run(connection, f"CREATE ROLE {quoted(login)} LOGIN")
            done.append(
                f"The login {login} was missing and was made, without a password: give "
                f"{member.name} one with nebbet library members password {member.id}"
            )
        if not connection.scalar(
            text("SELECT pg_has_role(:login, :group, 'member')"), {"login": login, "group": group}
        ):
            run(connection, f"GRANT {quoted(group)} TO {quoted(login)}")
            done.append(f"{member.name} is in {group} again")
    return done

"""The command line for the people of a library: who is in it, as what, and how they log in."""

import json
from collections.abc import Callable, Mapping
from contextlib import closing
from datetime import timedelta

import click
from msgspec.structs import replace

from nebbet.cli.here import local_now
from nebbet.cli.options import as_json
from nebbet.cli.places import AT, there
from nebbet.core.errors import NebbetError
from nebbet.core.records import Member
from nebbet.library import logins
from nebbet.library.store import Library

_ONE_TIME_HOLDS = timedelta(days=7)
_WHO = click.argument("who")
_ROLE = click.option("--lead/--colleague", "lead", default=None, help="as what; as they are if not")
_SAID = (
    click.option("--first", "first_name", default=None, metavar="NAME"),
    click.option("--last", "last_name", default=None, metavar="NAME"),
    click.option("--email", default=None, metavar="ADDRESS"),
    _ROLE,
    click.option("--login", default=None, help="on the server, where it is another name"),
)
_PASSWORD = click.option("--password", is_flag=True, help="ask for the password of the login")
_ONE_TIME = click.option(
    "--one-time", is_flag=True, help="make a password to begin with, which holds for a week"
)


def _about(verb: Callable[..., None]) -> Callable[..., None]:
    """A verb about somebody, of whom something may be said."""
    for option in reversed((_WHO, *_SAID)):
        verb = option(verb)
    return verb


@click.group(invoke_without_command=True)
@AT
@as_json
@click.pass_context
def members(ctx: click.Context, at: str, as_json: bool) -> None:
    """List who is in a library; with a verb, let people in and let them go."""
    ctx.obj = at
    if ctx.invoked_subcommand is None:
        with closing(there(at)) as found:
            _list(found, as_json)


def _list(found: Library, as_json: bool) -> None:
    held = logins.logins(found.engine)
    people = found.catalogue(local_now()).members.values()
    rows = [
        {"id": m.id, "name": m.name, "email": m.email, "role": "left" if m.left else m.role,
         "login": held.get(m.id, "")}
        for m in people
    ]  # fmt: skip
    if as_json:
        click.echo(json.dumps(rows, ensure_ascii=False))
        return
    for row in rows:
        role = "left the team" if row["role"] == "left" else row["role"]
        login = f"  logs in as {row['login']}" if row["login"] else ""
        click.echo(f"{row['id']}  {row['name']}  {row['email']}  {role}{login}")


@members.command()
@_about
@_PASSWORD
@_ONE_TIME
@click.pass_obj
def add(
    at: str, /, who: str, login: str | None, password: bool, one_time: bool, **said: object
) -> None:
    """Let somebody in who is not in the library yet. WHO is how the library calls them, and their
    login on the server."""
    with closing(there(at)) as found:
        known = _known(found, who)
        if known is not None and who in logins.logins(found.engine):
            raise NebbetError(
                f"{known.name} is in the library already",
                kept="Nothing was changed",
                advice=f"Change what is said of them: nebbet library members change {who} …",
            )
        _keep(found, who, known, said, login or who, ask=password, one_time=one_time)


@members.command()
@_about
@click.pass_obj
def change(at: str, /, who: str, login: str | None, **said: object) -> None:
    """Change what is said of somebody; what is not given stays as it is."""
    with closing(there(at)) as found:
        held, known = logins.logins(found.engine).get(who, ""), _must_know(found, who)
        _keep(found, who, known, said, login or held, left=known.left)


@members.command()
@_WHO
@click.pass_obj
def left(at: str, /, who: str) -> None:
    """Somebody left the team: they cannot log in any more. What they wrote stays theirs."""
    with closing(there(at)) as found:
        member = _must_know(found, who)
        if _on_server(found):
            logins.let_go(found.engine, who)
        else:
            found.put(replace(member, left=True), seen=member)
        click.echo(f"{member.name} has left the team.")


@members.command()
@_WHO
@_ROLE
@_PASSWORD
@_ONE_TIME
@click.pass_obj
def back(at: str, /, who: str, password: bool, one_time: bool, **said: object) -> None:
    """Somebody who had left is back: they log in as before, and are what they were."""
    with closing(there(at)) as found:
        held = logins.logins(found.engine).get(who, who)
        _keep(found, who, _must_know(found, who), said, held, ask=password, one_time=one_time)


@members.command("password")
@_WHO
@_ONE_TIME
@click.pass_obj
def give_password(at: str, /, who: str, one_time: bool) -> None:
    """Give somebody's login another password, typed twice or made here."""
    with closing(there(at)) as found:
        member = _must_know(found, who)
        login = logins.logins(found.engine).get(who)
        if login is None:
            raise NebbetError(
                f"{member.name} has no login",
                advice=f"nebbet library members change {who} --login …",
            )
        _let_in(found, member, login, ask=not one_time, one_time=one_time)


def _keep(
    found: Library,
    who: str,
    known: Member | None,
    said: Mapping[str, object],
    login: str,
    *,
    ask: bool = False,
    one_time: bool = False,
    left: bool = False,
) -> None:
    """Keep what is said of somebody, over what is known, and let them in unless they left."""
    wanted = {name: value for name, value in said.items() if value is not None}
    if (lead := wanted.pop("lead", None)) is not None:
        wanted["role"] = "lead" if lead else "colleague"
    member = replace(known or Member(who, "", "", ""), **wanted, left=left)
    if not member.name or not member.email:
        raise NebbetError("A member needs a name and an address", advice="Give --first and --email")
    if _on_server(found) and login and not left:
        _let_in(found, member, login, ask=ask, one_time=one_time)
    else:
        found.put(member, seen=known)
    click.echo(f"{member.id}  {member.name}  {member.email}  {member.role}")


def _let_in(found: Library, member: Member, login: str, *, ask: bool, one_time: bool) -> None:
    secret, until = "", None
    if ask:
        secret = click.prompt("Password", hide_input=True, confirmation_prompt=True)
    elif one_time:
        secret, until = logins.one_time(), local_now() + _ONE_TIME_HOLDS
    logins.let_in(found.engine, member, login, password=secret, until=until)
    if one_time and until:
        click.echo(
            f"To begin with: {secret}\nIt holds until {until:%d %b %Y}. Nebbet asks {member.name} "
            "to choose another one."
        )


def _on_server(found: Library) -> bool:
    return found.engine.dialect.name == "postgresql"


def _known(found: Library, who: str) -> Member | None:
    return found.catalogue(local_now()).members.get(who)


def _must_know(found: Library, who: str) -> Member:
    member = _known(found, who)
    if member is None:
        raise NebbetError(
            f"The library knows no member “{who}”", advice="nebbet library members lists them"
        )
    return member

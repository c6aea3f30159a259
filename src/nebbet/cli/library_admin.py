"""The command line for whoever keeps a library: making one, its people, its health."""

from collections.abc import Mapping
from contextlib import closing
from pathlib import Path

import click
from msgspec.structs import replace

from nebbet.cli.here import local_now
from nebbet.cli.options import home
from nebbet.core.errors import NebbetError
from nebbet.core.records import Member
from nebbet.library import migrate, roles
from nebbet.library.holdings import Role
from nebbet.library.postgres import is_url, sound_url
from nebbet.library.store import Library, open_library
from nebbet.personal.secrets import KeyringSecrets
from nebbet.personal.settings import read_settings
from nebbet.personal.stores import reached, without_password

_WHERE = click.option(
    "--at", default="", metavar="WHERE", help="a file or postgresql://…; your own library otherwise"
)


@click.group()
def library() -> None:
    """Keep a library: make it, let people in, look through it, move it."""


def _place(where: str) -> Path | str:
    if where:
        return sound_url(where) if is_url(where) else Path(where)
    own, secrets = home(), KeyringSecrets()
    settings = without_password(own, read_settings(own.settings_file), secrets)
    return reached(own, settings, secrets)


def _there(where: str) -> Library:
    place = _place(where)
    if isinstance(place, Path) and not place.exists():
        raise NebbetError(f"There is no library at {place}", advice="Make one: nebbet library init")
    return open_library(place)


@library.command()
@click.argument("where", default="")
def init(where: str) -> None:
    """Make a library in a file or an empty database. On a server this makes the roles of leads and
    colleagues with their rights, too; run again, it brings them up to date."""
    place = _place(where)
    with closing(open_library(place)) as made:
        if isinstance(place, str):
            roles.set_up(made.engine)
            click.echo("The library is ready. Let people in: nebbet library members --add …")
        else:
            click.echo(f"The library {place} is ready.")


@library.command("migrate")
@_WHERE
def migrate_command(at: str) -> None:
    """Bring a library up to date. A file is copied beside itself first."""
    place = _place(at)
    older = isinstance(place, Path) and place.exists() and migrate.look(place) == "older"
    with closing(_there(at)):
        pass
    if isinstance(place, Path) and older:
        copy = f"{place.name}.before-{migrate.NEWEST}"
        click.echo(f"The library is up to date; as it was, it lies beside it as {copy}.")
    else:
        click.echo("The library is up to date.")


@library.command()
@_WHERE
@click.option("--add", default="", metavar="LOGIN", help="let somebody in, or change who they are")
@click.option("--lead/--colleague", "lead", default=None, help="as what; a new one as a colleague")
@click.option("--first", default=None, metavar="NAME")
@click.option("--last", default=None, metavar="NAME")
@click.option("--email", default=None, metavar="ADDRESS")
@click.option("--password", is_flag=True, help="ask for the password of the login on the server")
def members(
    at: str,
    add: str,
    lead: bool | None,
    first: str | None,
    last: str | None,
    email: str | None,
    password: bool,
) -> None:
    """List who is in a library, or let somebody in. Of somebody who is in it already, only what is
    given changes."""
    with closing(_there(at)) as found:
        if add:
            role: Role | None = None if lead is None else "lead" if lead else "colleague"
            said = {"first_name": first, "last_name": last, "email": email, "role": role}
            _add(found, add, {name: value for name, value in said.items() if value is not None},
                 ask=password)  # fmt: skip
        for member in found.catalogue(local_now()).members.values():
            click.echo(f"{member.id}  {member.name}  {member.email}  {member.role}")


def _add(found: Library, login: str, said: Mapping[str, str], *, ask: bool) -> None:
    """Let somebody in, or change what is said of them; the rest of what is known stays."""
    known = found.catalogue(local_now()).members.get(login) or Member(login, "", "", "")
    member = replace(known, **said)
    if not member.name or not member.email:
        raise NebbetError("A member needs a name and an address", advice="Give --first and --email")
    found.put(member)
    if found.engine.dialect.name == "postgresql":
        secret = click.prompt("Password", hide_input=True, confirmation_prompt=True) if ask else ""
        role: Role = "lead" if member.role == "lead" else "colleague"
        roles.enrol(found.engine, login, login, role, secret)


@library.command()
@_WHERE
def report(at: str) -> None:
    """Count what a library holds."""
    with closing(_there(at)) as found:
        held = found.catalogue(local_now())
        templates = list(held.templates.values())
        for what, count in (
            ("templates in use", sum(t.state == "in use" for t in templates)),
            ("drafts", sum(t.state == "draft" for t in templates)),
            ("retired", sum(t.state == "retired" for t in templates)),
            ("shelves", len(held.shelves)),
            ("passages", len(held.passages)),
            ("facts", len(held.facts)),
            ("files", len(held.files)),
            ("members", len(held.members)),
            ("proposals that wait", sum(p.state == "waiting" for p in held.proposals.values())),
        ):
            click.echo(f"{count:6}  {what}")
        click.echo(f"You are here as: {found.role}")


@library.command("check")
@_WHERE
@click.option("--mend", "mending", is_flag=True, help="take out what nobody can read")
@click.pass_context
def check_library(ctx: click.Context, at: str, mending: bool) -> None:
    """Look through a whole library: files, values, references. Exit code 1 for what is wrong."""
    from nebbet.library.checking import mend, problems

    with closing(_there(at)) as found:
        if mending:
            for sentence in mend(found, local_now()):
                click.echo(sentence)
        wrong = problems(found)
    for sentence in wrong:
        click.echo(sentence)
    if not wrong:
        click.echo("nothing found")
    ctx.exit(1 if wrong else 0)


@library.command("copy")
@click.argument("source")
@click.argument("target")
def copy_command(source: str, target: str) -> None:
    """Copy a library, a file or postgresql://…, into an empty one: all of it or nothing."""
    from nebbet.library.moving import copy_library

    with closing(_there(source)) as held, closing(open_library(_place(target))) as made:
        count = copy_library(held, made)
    click.echo(f"{count} rows copied")

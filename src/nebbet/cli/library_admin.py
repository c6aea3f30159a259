"""The command line for whoever keeps a library: making one, its health, its age."""

from contextlib import closing
from pathlib import Path

import click

from nebbet.cli.here import local_now
from nebbet.cli.keeping_commands import backup_command, copy_command, restore_command
from nebbet.cli.member_commands import members
from nebbet.cli.options import home
from nebbet.cli.places import AT, place_of, place_on_server, there
from nebbet.library import migrate
from nebbet.library.backing_up import ENDING, back_up
from nebbet.library.postgres import postgres_engine, shown_url
from nebbet.library.setting_up import make_ready, rights_needed
from nebbet.library.store import open_library


@click.group()
def library() -> None:
    """Keep a library: make it, let people in, look through it, move it, back it up."""


for _command in (members, copy_command, backup_command, restore_command):
    library.add_command(_command)


@library.command()
@click.argument("where", default="")
def init(where: str) -> None:
    """Make a library in a file or an empty database. On a server this makes the roles of leads and
    colleagues with their rights, too, and says first what it needs; run again, it mends what is
    missing, after the library was brought back, say."""
    place = place_of(where)
    if isinstance(place, Path):
        with closing(open_library(place)):
            click.echo(f"The library {place} is ready.")
        return
    engine = postgres_engine(place)
    try:
        click.echo("What this needs:")
        for needed in rights_needed(engine):
            click.echo(f"  {'there    ' if needed.there else 'MISSING  '}{needed.words}")
        for sentence in make_ready(engine, lambda: _before(place)) or ["Nothing was missing"]:
            click.echo(f"{sentence}.")
    finally:
        engine.dispose()
    click.echo("The library is ready. Let people in: nebbet library members add LOGIN …")


def _before(place: str, to: Path | None = None) -> Path:
    """Back up a library on a server as it is, before it is brought up to date."""
    name = f"before-{migrate.NEWEST}-{local_now():%Y-%m-%d-%H%M%S}{ENDING}"
    path = to or home().data / "backups" / name
    engine = postgres_engine(place)
    try:
        back_up(engine, path, local_now())
    finally:
        engine.dispose()
    click.echo(f"As it was, it lies in {path}.")
    return path


@library.command("migrate")
@AT
@click.option(
    "--backup",
    "to",
    type=click.Path(path_type=Path),
    help="where to keep it as it was (a server's)",
)
def migrate_command(at: str, to: Path | None) -> None:
    """Bring a library up to date. As it was, it is kept first: a file beside itself, a library on a
    server as a backup. Windows that are open on it go on with their copies until they are a Nebbet
    of the same age."""
    place = place_of(at)
    if isinstance(place, str):
        engine = postgres_engine(place)
        try:
            for sentence in make_ready(engine, lambda: _before(place, to)):
                click.echo(f"{sentence}.")
        finally:
            engine.dispose()
        click.echo("The library is up to date.")
        return
    older = place.exists() and migrate.look(place) == "older"
    with closing(there(at)):
        pass
    if older:
        copy = f"{place.name}.before-{migrate.NEWEST}"
        click.echo(f"The library is up to date; as it was, it lies beside it as {copy}.")
    else:
        click.echo("The library is up to date.")


@library.command()
@AT
def report(at: str) -> None:
    """Count what a library holds."""
    with closing(there(at)) as found:
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
            ("members", sum(not m.left for m in held.members.values())),
            ("proposals that wait", sum(p.state == "waiting" for p in held.proposals.values())),
        ):
            click.echo(f"{count:6}  {what}")
        click.echo(f"You are here as: {found.role}")


@library.command("check")
@AT
@click.option("--mend", "mending", is_flag=True, help="take out what nobody can read")
@click.pass_context
def check_library(ctx: click.Context, at: str, mending: bool) -> None:
    """Look through a whole library: files, values, references. Exit code 1 for what is wrong."""
    from nebbet.library.checking import mend, problems

    with closing(there(at)) as found:
        if mending:
            for sentence in mend(found, local_now()):
                click.echo(sentence)
        wrong = problems(found)
    for sentence in wrong:
        click.echo(sentence)
    if not wrong:
        click.echo("nothing found")
    ctx.exit(1 if wrong else 0)


@library.command()
@AT
@click.pass_context
def doctor(ctx: click.Context, at: str) -> None:
    """Look what is wrong with the server of a library: one line each, with what to do. Exit code 1
    for what is wrong."""
    from nebbet.library.doctor import look

    place = place_on_server(at)
    engine = postgres_engine(place)
    try:
        found = look(engine, local_now())
    finally:
        engine.dispose()
    for finding in found:
        click.echo(f"{finding.what}. {finding.remedy}.")
    if not found:
        click.echo(f"{shown_url(place)}: nothing is wrong")
    ctx.exit(1 if found else 0)

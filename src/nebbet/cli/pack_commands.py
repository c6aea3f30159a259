"""The verb that writes packs and takes them in."""

from pathlib import Path

import click

from nebbet.cli.here import chance, open_here
from nebbet.cli.options import overwrite


@click.group()
def pack() -> None:
    """Write the library, or some templates with what they need, into a pack, or take one in."""


@pack.command("write")
@click.argument("file", metavar="FILE.zip")
@click.argument("templates", nargs=-1, metavar="[TEMPLATE...]")
@overwrite
@click.pass_context
def write(ctx: click.Context, file: str, templates: tuple[str, ...], overwrite: bool) -> None:
    """Write the whole library, or the templates that are named with all that they need."""
    from nebbet.library.pack_out import write_pack

    now = chance(ctx).now()
    here = open_here(now)
    chosen = {here.template(name, now).id for name in templates} if templates else None
    count = write_pack(here.library, here.catalogue, Path(file), chosen=chosen, overwrite=overwrite)
    click.echo(f"{count} templates in {file}")


@pack.command("take")
@click.argument("file", metavar="FILE.zip")
@click.option(
    "--days",
    type=click.Choice(["ours", "pack"]),
    help="whose working days hold, where they differ",
)
@click.pass_context
def take(ctx: click.Context, file: str, days: str | None) -> None:
    """Merge a pack into the library: what has the same id is the same thing, and nothing is taken
    out."""
    from nebbet.library.pack_in import take_pack
    from nebbet.library.packs import read_pack

    now = chance(ctx).now()
    here = open_here(now)
    member = here.settings.member
    author = member if member in here.catalogue.members else ""
    lines = take_pack(here.library, read_pack(Path(file)), author=author, made=now, days=days)  # type: ignore[arg-type]
    for line in lines:
        click.echo(line)

"""The command line for a library as a whole: copied, backed up, brought back."""

from contextlib import closing
from pathlib import Path

import click

from nebbet.cli.here import local_now
from nebbet.cli.places import AT, place_of, there
from nebbet.library.store import open_library

_FILE = click.Path(path_type=Path)


@click.command("copy")
@click.argument("source")
@click.argument("target")
@click.option(
    "--without-hidden", is_flag=True, help="leave out what this login may not see, and say so"
)
def copy_command(source: str, target: str, without_hidden: bool) -> None:
    """Copy a library, a file or postgresql://…, into an empty one: all of it or nothing."""
    from nebbet.library.moving import copy_library

    with closing(there(source)) as held, closing(open_library(place_of(target))) as made:
        count = copy_library(held, made, without_hidden=without_hidden)
    click.echo(f"{count} rows copied")


@click.command("backup")
@click.argument("to", type=_FILE)
@AT
@click.option("--nightly", is_flag=True, help="TO is a folder: a file for each day goes into it")
@click.option("--keep", default=14, show_default=True, help="how many of these stay")
def backup_command(to: Path, at: str, nightly: bool, keep: int) -> None:
    """Write a whole library into one file: data, people and rights. It is read back before this
    says that it is there."""
    from nebbet.library.backing_up import ENDING, back_up, keep_newest

    now = local_now()
    path = to / f"library-{now:%Y-%m-%d}{ENDING}" if nightly else to
    with closing(there(at)) as found:
        manifest = back_up(found.engine, path, now)
    click.echo(f"{sum(manifest.rows.values())} rows are in {path}, read back and whole.")
    if nightly:
        for gone in keep_newest(to, max(keep, 1)):
            click.echo(f"{gone.name} was old and is gone.")


@click.command("restore")
@click.argument("backup", type=_FILE)
@click.argument("where")
def restore_command(backup: Path, where: str) -> None:
    """Bring a backup back into a new file or an empty database: all of it or nothing."""
    from nebbet.library.backing_up import restore

    count, done = restore(backup, place_of(where))
    click.echo(f"{count} rows brought back")
    for sentence in done:
        click.echo(f"{sentence}.")

"""The command nebbet and its verbs."""

import json
import os
import sys
from collections.abc import Callable
from datetime import date, datetime
from pathlib import Path
from typing import Any

import click

from nebbet import __version__
from nebbet.core.errors import NebbetError
from nebbet.core.message import links
from nebbet.personal.home import Home, find_home


class _Nebbet(click.Group):
    """Turns every error that a person can mend into one line, and exit code 2."""

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except NebbetError as error:
            found = error
        except BrokenPipeError:
            raise
        except OSError as error:  # a file or a disk, wherever it is met
            found = NebbetError(f"A file cannot be used: {(error.strerror or str(error)).lower()}")
        click.echo(f"nebbet: {found.sentence}", err=True)
        return ctx.exit(2)


@click.group(cls=_Nebbet, invoke_without_command=True)
@click.version_option(__version__, prog_name="nebbet")
@click.pass_context
def main(ctx: click.Context) -> None:
    """Templates for a team's letters, completed and sent one to one.

    Without a command, the window opens.
    """
    if ctx.invoked_subcommand is None:
        from nebbet.cli.window import open_window

        ctx.exit(open_window(home()))


def home() -> Home:
    """The home that the environment asks for."""
    return find_home(os.environ)


def read_text(path: str, what: str) -> str:
    """Read a file of text. Raises NebbetError in place of a traceback."""
    from nebbet.library.disk import read_file

    data = read_file(Path(path), f"{what} {path}")
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        raise NebbetError(f"{what} {path} is not UTF-8 text", advice="Save it as UTF-8") from None


def read_input(largest: int) -> bytes:
    """What comes on standard input. Raises NebbetError where nothing can, or too much does."""
    if sys.stdin is None:
        raise NebbetError(
            "There is no standard input", advice="Give the text with < FILE or a pipe"
        )
    data = sys.stdin.buffer.read(largest + 1)
    if len(data) > largest:
        raise NebbetError(f"The text is larger than {largest // 2**20} MB", kept="Nothing was done")
    return data


def read_moment(text: str) -> date | datetime:
    """A day, or a moment, in ISO 8601. Raises NebbetError."""
    try:
        if len(text) == 10:
            return date.fromisoformat(text)
        return datetime.fromisoformat(text).replace(tzinfo=None)
    except ValueError:
        raise NebbetError(
            f"“{text}” is not a day", advice="Write it as 2026-11-25, or 2026-11-25T16:30"
        ) from None


def _day(_ctx: click.Context, _param: click.Parameter, text: str | None) -> date:
    try:
        return date.fromisoformat(text) if text else datetime.now().astimezone().date()
    except ValueError:
        raise NebbetError(f"“{text}” is not a day", advice="Write it as 2026-11-25") from None


on_day = click.option("--on", callback=_day, metavar="DATE", help="as if today were that day")
language = click.option("--lang", default="en_GB", metavar="L", help="language, such as en_GB")
overwrite = click.option("--overwrite", is_flag=True, help="even if there is such a file")
as_json = click.option("--json", "as_json", is_flag=True, help="for programs")


@main.command()
@click.option("--keep", is_flag=True, help="go on with what the last demo left")
@click.option("--colleague", is_flag=True, help="as a colleague, who proposes; as a lead otherwise")
@click.pass_context
def demo(ctx: click.Context, keep: bool, colleague: bool) -> None:
    """Open the window on the demo: a ferry company, with a mail service of its own."""
    from nebbet.cli.window import open_demo

    ctx.exit(open_demo(keep=keep, colleague=colleague))


@main.command()
@click.option("--to", multiple=True, metavar="ADDRESS")
@click.option("--cc", multiple=True, metavar="ADDRESS")
@click.option("--bcc", multiple=True, metavar="ADDRESS")
@click.option("--subject", default="")
@click.option("--body", default="")
@as_json
def mailto(
    to: tuple[str, ...],
    cc: tuple[str, ...],
    bcc: tuple[str, ...],
    subject: str,
    body: str,
    as_json: bool,
) -> None:
    """Write a link that opens a prepared message, and its length."""
    link = links.mailto(to, subject, body, cc, bcc)
    if as_json:
        click.echo(json.dumps({"link": link, "length": len(link)}))
        return
    click.echo(link)
    # Common practice, no source: some programs cut links at about 2,000 characters.
    warning = "; some programs cut links after 2,000" if len(link) > 2000 else ""
    click.echo(f"{len(link)} characters{warning}", err=True)


def add_commands() -> None:
    """Hang the verbs of the other files under the command."""
    from nebbet.cli import core_commands, library_admin, library_commands

    commands: list[Callable[..., Any]] = [
        core_commands.clean,
        core_commands.date_command,
        core_commands.fill,
        core_commands.work,
        library_commands.check,
        library_commands.render,
        library_commands.import_files,
        library_commands.export,
        library_commands.find,
        library_commands.outbox,
        library_admin.library,
    ]
    for command in commands:
        assert isinstance(command, click.Command)
        main.add_command(command)


add_commands()

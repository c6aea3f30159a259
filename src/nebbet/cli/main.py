"""The command nebbet and its verbs."""

import importlib
import json
import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import click

from nebbet import __version__
from nebbet.cli.options import as_json, home
from nebbet.core import sentences
from nebbet.core.errors import NebbetError
from nebbet.core.message import links

# The languages of the interface; there is none but English yet.
_CATALOGUES = Path(__file__).parent.parent / "locale"
# Where each verb lies: loaded when it is asked for, for the window needs none of them.
_VERBS = {
    "clean": "core_commands:clean",
    "date": "core_commands:date_command",
    "fill": "core_commands:fill",
    "work": "core_commands:work",
    "check": "writing_commands:check",
    "render": "writing_commands:render",
    "import": "exchange_commands:import_files",
    "export": "exchange_commands:export",
    "find": "finding_commands:find",
    "outbox": "finding_commands:outbox",
    "suggest": "finding_commands:suggest",
    "library": "library_admin:library",
    "pack": "pack_commands:pack",
    "round": "round_commands:round_command",
    "people": "people_commands:people",
}


class _Nebbet(click.Group):
    """Loads its verbs late, and turns every error that a person can mend into one line, and exit
    code 2."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted([*super().list_commands(ctx), *_VERBS])

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _VERBS:
            return super().get_command(ctx, cmd_name)
        module, _, name = _VERBS[cmd_name].partition(":")
        found = getattr(importlib.import_module(f"nebbet.cli.{module}"), name)
        assert isinstance(found, click.Command)
        return found

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
    sentences.use(_CATALOGUES, _languages(os.environ))
    if ctx.invoked_subcommand is None:
        from nebbet.cli.window import open_window

        ctx.exit(open_window(home()))


def _languages(environment: Mapping[str, str]) -> list[str]:
    """The languages that somebody wants to be spoken to in, best first (POSIX: LC_MESSAGES)."""
    names = ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG")
    found = next(filter(None, (environment.get(name) for name in names)), "")
    return [code.partition(".")[0] for code in found.split(":") if code]


@main.command()
@click.option("--keep", is_flag=True, help="go on with what the last demo left")
@click.option("--colleague", is_flag=True, help="as a colleague, who proposes; as a lead otherwise")
@click.pass_context
def demo(ctx: click.Context, keep: bool, colleague: bool) -> None:
    """Open the window on the demo: a ferry company, with a mail service of its own."""
    from nebbet.cli.window import open_demo

    ctx.exit(open_demo(keep=keep, colleague=colleague))


@main.command()
@click.option("--template", default="", metavar="T", help="its id, or words of its title")
@click.option("--to", default="", metavar="A", help="a name on file, or an address")
@click.option("--case", default="", metavar="C", help="a case number")
@click.argument("link", required=False, metavar="[mailto:URL]")
@click.pass_context
def write(ctx: click.Context, template: str, to: str, case: str, link: str | None) -> None:
    """Open the window on a new letter, by its parts or as a mailto: link prepares it."""
    prepared = links.read_mailto(link) if link else None
    from nebbet.cli.doorway import Wanted
    from nebbet.cli.window import open_window

    ctx.exit(open_window(home(), Wanted(template, to, case, prepared)))


@main.command()
@click.argument("file", metavar="FILE.eml", type=click.Path(path_type=Path))
@click.pass_context
def read(ctx: click.Context, file: Path) -> None:
    """Open the window on a message in a file, to be read and answered."""
    from nebbet.cli.doorway import Wanted
    from nebbet.cli.window import open_window, read_message

    read_message(file)  # where it cannot be read, the person is told here
    ctx.exit(open_window(home(), Wanted(message=str(file.resolve()))))


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

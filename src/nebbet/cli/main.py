"""The command nebbet and its verbs."""

import json
import logging
import os
import sys
from collections.abc import Callable
from datetime import date, datetime
from pathlib import Path
from typing import Any

import click

from nebbet import __version__
from nebbet.core import dates, placeholders, values
from nebbet.core.errors import NebbetError
from nebbet.core.message import links
from nebbet.post.home import Home, find_home


class _Nebbet(click.Group):
    """Turns every error that a person can mend into one line, and exit code 2."""

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except NebbetError as error:
            click.echo(f"nebbet: {error.sentence}", err=True)
            ctx.exit(2)


@click.group(cls=_Nebbet, invoke_without_command=True)
@click.version_option(__version__, prog_name="nebbet")
@click.pass_context
def main(ctx: click.Context) -> None:
    """Templates for a team's letters, completed and sent one to one.

    Without a command, the window opens.
    """
    if not sys.flags.dev_mode:
        logging.basicConfig(level=logging.WARNING, format="nebbet: %(message)s")
    if ctx.invoked_subcommand is None:
        from nebbet.cli.window import open_window

        ctx.exit(open_window(home()))


def home() -> Home:
    """The home that the environment asks for."""
    return find_home(os.environ)


def read_text(path: str, what: str) -> str:
    """Read a file of text. Raises NebbetError in place of a traceback."""
    from nebbet.library.disk import disk_explained

    with disk_explained(f"{what} {path} cannot be read"):
        data = Path(path).read_bytes()
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        raise NebbetError(f"{what} {path} is not UTF-8 text", advice="Save it as UTF-8") from None


def _day(_ctx: click.Context, _param: click.Parameter, text: str | None) -> date:
    try:
        return date.fromisoformat(text) if text else datetime.now().astimezone().date()
    except ValueError:
        raise NebbetError(f"“{text}” is not a day", advice="Write it as 2026-11-25") from None


on_day = click.option("--on", callback=_day, metavar="DATE", help="as if today were that day")
language = click.option("--lang", default="en_GB", metavar="L", help="language, such as en_GB")
as_json = click.option("--json", "as_json", is_flag=True, help="for programs")


@main.command()
@click.option("--keep", is_flag=True, help="go on with what the last demo left")
@click.pass_context
def demo(ctx: click.Context, keep: bool) -> None:
    """Open the window on the demo: a ferry company, with a mail service of its own."""
    from nebbet.cli.window import open_demo

    ctx.exit(open_demo(keep=keep))


@main.command("date")
@click.argument("rule")
@on_day
@click.option("--calendar", default="", metavar="C", help="working days: GB-SCT, DE-BY, FR …")
@language
@click.option("--format", "style", default="", metavar="F", help="short, long, full or a pattern")
@as_json
def date_command(rule: str, on: date, calendar: str, lang: str, style: str, as_json: bool) -> None:
    """Work out a date rule and explain it."""
    worked = dates.work_out(dates.read(rule), on, dates.calendar_for(calendar))
    text = placeholders.show(worked.day, lang, style)
    said = dates.explain(worked)
    if as_json:
        found = {"iso": worked.day.isoformat(), "text": text, "explanation": said}
        click.echo(json.dumps(found, ensure_ascii=False))
    else:
        click.echo(f"{text}\n{said}")


@main.command()
@click.option("--values", "values_file", metavar="FILE.json", help="names and values")
@click.option("--html", "as_html", is_flag=True, help="the text is HTML: escape the values")
@language
@click.pass_context
def fill(ctx: click.Context, values_file: str | None, as_html: bool, lang: str) -> None:
    """Fill the placeholders in a text from standard input."""
    named = _read_values(values_file) if values_file else {}
    text = sys.stdin.buffer.read().decode("utf-8", "surrogateescape")
    filled = placeholders.fill(text, named, lang, as_html=as_html)
    sys.stdout.buffer.write(filled.text.encode("utf-8", "surrogateescape"))
    sys.stdout.buffer.flush()
    for missing in filled.missing:
        near = f"; did you mean “{missing.nearest}”?" if missing.nearest else ""
        click.echo(f"no value for “{missing.name}”{near}", err=True)
    ctx.exit(1 if filled.missing else 0)


def _read_values(path: str) -> dict[str, values.Value]:
    text = read_text(path, "The values file")
    try:
        raw = json.loads(text)
    except ValueError as error:
        raise NebbetError(
            f"The values file {path} is not JSON: {error}", advice='It looks like {"name": "Ana"}'
        ) from None
    if not isinstance(raw, dict):
        raise NebbetError(
            f"The values file {path} holds no names", advice='It looks like {"name": "Ana"}'
        )
    return values.mapping_from_json(raw)


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


def add_library_commands() -> None:
    """Hang the verbs that need a library under the command."""
    from nebbet.cli import library_commands

    commands: list[Callable[..., Any]] = [
        library_commands.render,
        library_commands.find,
        library_commands.outbox,
    ]
    for command in commands:
        assert isinstance(command, click.Command)
        main.add_command(command)


add_library_commands()

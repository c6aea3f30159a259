"""What several verbs take: options, and text from files and from standard input."""

import os
import sys
from datetime import date, datetime
from pathlib import Path

import click

from nebbet.core.dates import zone_of
from nebbet.core.errors import NebbetError
from nebbet.personal.home import Home, find_home


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


def write_output(data: bytes, output: str, *, overwrite: bool) -> None:
    """Write to a file, or to standard output where none is named."""
    from nebbet.library.disk import write_file

    if not output or output == "-":
        sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()
        return
    write_file(Path(output), data, overwrite=overwrite, kept="Nothing was sent")


def on_clocks(moment: datetime, zone: str) -> datetime:
    """A moment as the clocks of a time zone show it, or those of this computer."""
    return moment.astimezone(zone_of(zone) if zone else None).replace(tzinfo=None)


def read_moment(text: str, zone: str = "") -> date | datetime:
    """A day, or a moment, in ISO 8601; a moment with an offset is brought into a time zone, or into
    that of this computer. Raises NebbetError."""
    try:
        if len(text) == 10:
            return date.fromisoformat(text)
        found = datetime.fromisoformat(text)
        if found.tzinfo is None:
            return found
        return on_clocks(found, zone)
    except ValueError:
        raise NebbetError(
            f"“{text}” is not a day", advice="Write it as 2026-11-25, or 2026-11-25T16:30"
        ) from None


def _day(_ctx: click.Context, _param: click.Parameter, text: str | None) -> date | None:
    try:
        return date.fromisoformat(text) if text else None
    except ValueError:
        raise NebbetError(f"“{text}” is not a day", advice="Write it as 2026-11-25") from None


on_day = click.option("--on", callback=_day, metavar="DATE", help="as if today were that day")
language = click.option("--lang", default="en_GB", metavar="L", help="language, such as en_GB")
text_language = click.option("--lang", default="", metavar="L", help="language of the text")
overwrite = click.option("--overwrite", is_flag=True, help="even if there is such a file")
as_json = click.option("--json", "as_json", is_flag=True, help="for programs")

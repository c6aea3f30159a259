"""Filling the placeholders of a free text from a set of named values."""

import html
from collections.abc import Mapping

from msgspec import Struct

from nebbet.core import inline
from nebbet.core.inline import Slot
from nebbet.core.placeholders.formats import show
from nebbet.core.placeholders.resolve import nearest
from nebbet.core.records import fold
from nebbet.core.values import Value


class Missing(Struct, frozen=True):
    """A name without a value, and the nearest name that has one."""

    name: str
    nearest: str | None


class Filled(Struct, frozen=True):
    """The filled text and what had no value; unfilled places keep their {{name}}."""

    text: str
    missing: tuple[Missing, ...]


def fill(
    text: str, values: Mapping[str, Value], language: str = "en_GB", *, as_html: bool = False
) -> Filled:
    """Fill every occurrence of every known name; values are escaped for HTML on request.

    A value that itself holds {{other}} is not filled again.

    >>> fill("Hello {{First Name}}", {"first_name": "Ana"}).text
    'Hello Ana'
    """
    texts = {fold(name): show(value, language) for name, value in values.items()}
    if as_html:
        texts = {name: html.escape(shown) for name, shown in texts.items()}
    line = inline.parse(text)
    parts = [part if isinstance(part, str) else _slot(part, texts) for part in line]
    wanted = dict.fromkeys(name for name in inline.names(line) if fold(name) not in texts)
    missing = tuple(Missing(name, nearest(name, values)) for name in wanted)
    return Filled("".join(parts), missing)


def _slot(slot: Slot, texts: Mapping[str, str]) -> str:
    return texts.get(fold(slot.name), f"{{{{{slot.name}}}}}")

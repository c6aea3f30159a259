"""Reading rows that others may have written."""

from collections.abc import Mapping
from typing import Any, TypeVar

import msgspec

from nebbet.core.errors import UNREADABLE
from nebbet.library.catalogue import Unread

_Any = TypeVar("_Any")


class Reader:
    """Reads rows that others may have written: what cannot be read is passed over and named."""

    def __init__(self) -> None:
        self.unread: list[Unread] = []

    def decoded(self, text: object, kind: type[_Any], table: str, key: str) -> _Any | None:
        """A value of its JSON; None where it is none."""
        try:
            return msgspec.json.decode(str(text), type=kind)
        except UNREADABLE:
            self.unread.append(Unread(table, key))
            return None

    def made(
        self, kind: type[_Any], values: Mapping[str, Any], table: str, key: str
    ) -> _Any | None:
        """A struct of the columns of a row; None where one of them is none of its kind."""
        try:
            return msgspec.convert(dict(values), kind)
        except UNREADABLE:
            self.unread.append(Unread(table, key))
            return None

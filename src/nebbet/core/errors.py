"""The one base class of errors that can reach a person, and what a damaged value raises."""

import re
from unicodedata import category

import msgspec

# What reading a value of its JSON can raise where somebody, or a disk, has damaged it.
UNREADABLE = (msgspec.MsgspecError, ValueError, TypeError, RecursionError)


_LONGEST = 400  # characters of what a sentence quotes and says
_END = 80


def shortened(text: str) -> str:
    """Words as one line that can be read: what somebody typed or sent may have any length.

    >>> len(shortened("x" * 10_000))
    400
    """
    line = _GAPS.sub(" ", text)
    if len(line) > _LONGEST:
        line = f"{line[: _LONGEST - _END - 3]} … {line[-_END:]}"
    return line if line.isprintable() else "".join(map(_shown, line))


_GAPS = re.compile(r"[ \t\r\n\f\v]+")  # a no-break space in a number stays one


def _shown(sign: str) -> str:
    return sign if sign.isprintable() or category(sign) == "Zs" else "\ufffd"


class NebbetError(Exception):
    """Something in the world is wrong; says what happened, what was kept and what to do next.

    >>> NebbetError("The table has no rows", advice="Add a row").sentence
    'The table has no rows. Add a row.'
    """

    def __init__(self, what: str, *, kept: str = "", advice: str = "") -> None:
        super().__init__(what)
        self.what, self.kept, self.advice = shortened(what), kept, shortened(advice)

    @property
    def sentence(self) -> str:
        """The whole message for the person, as one line."""
        parts = (part.strip().rstrip(".") for part in (self.what, self.kept, self.advice))
        return " ".join(f"{part}." for part in parts if part)

    def __str__(self) -> str:
        return self.sentence

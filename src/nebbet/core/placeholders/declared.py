"""What a template says of each of its placeholders."""

from typing import Literal, get_args

from msgspec import Struct

from nebbet.core.records import label_of

Source = Literal["blank", "recipient", "sender", "case", "fact", "date"]
SOURCES: tuple[Source, ...] = get_args(Source)
_DOTTED = ("recipient", "sender", "case", "fact")


class Placeholder(Struct, frozen=True, omit_defaults=True):
    """One entry of a template's ledger.

    of is the field (recipient, sender, case), the fact's name or the date rule. format is a CLDR
    style or pattern for dates, times and numbers. fallback stands where the source has nothing.
    A placeholder that is not required stays empty without being asked for. long lets a blank take
    several lines.
    """

    name: str
    label: str = ""
    source: Source = "blank"
    of: str = ""
    format: str = ""
    fallback: str = ""
    required: bool = True
    hint: str = ""
    long: bool = False

    @property
    def title(self) -> str:
        """The label to show."""
        return self.label or label_of(self.name)


def implied(name: str) -> Placeholder | None:
    """The declaration that a dotted name carries in itself, or None.

    >>> implied("Case.Booking").source
    'case'
    """
    source, dot, field = name.partition(".")
    source = source.strip().casefold()
    if not dot or not field.strip() or source not in _DOTTED:
        return None
    return Placeholder(name, source=source, of=field.strip())  # type: ignore[arg-type]

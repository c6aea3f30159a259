"""What a template says of each of its placeholders."""

from typing import Literal, get_args

from msgspec import Struct

from nebbet.core.records import label_of
from nebbet.core.sums import Rounding

Source = Literal["blank", "recipient", "sender", "case", "fact", "date", "sum", "first", "copy"]
SOURCES: tuple[Source, ...] = get_args(Source)
Kind = Literal["text", "long text", "choice", "yes/no", "number", "money", "date", "time", "link"]
KINDS: tuple[Kind, ...] = get_args(Kind)
_DOTTED = ("recipient", "sender", "case", "fact")


class Placeholder(Struct, frozen=True, omit_defaults=True):
    """One entry of a template's ledger.

    of is the field (recipient, sender, case), the fact's name, the date rule, the sum, or for
    *first of* the names to try, with commas between. The source *copy* is made by Nebbet itself
    for an address that is copied only under the condition in when. kind is what people may put
    in. format is a CLDR style or pattern for dates, times and numbers. fallback stands where the
    source has nothing. A placeholder that is not required stays empty without being asked for.

    pattern holds a text to a shape: 9 is a digit, A a letter, X either, anything else itself.
    least and most bound numbers, amounts and dates; for dates they are date rules. currency is
    that of amounts typed without one (ISO 4217). remember offers the last answer again.
    """

    name: str
    label: str = ""
    source: Source = "blank"
    of: str = ""
    kind: Kind = "text"
    format: str = ""
    fallback: str = ""
    required: bool = True
    hint: str = ""
    choices: tuple[str, ...] = ()
    pattern: str = ""
    least: str = ""
    most: str = ""
    currency: str = ""
    rounding: Rounding = "half even"
    remember: bool = False
    when: str = ""

    @property
    def title(self) -> str:
        """The label to show."""
        return self.label or label_of(self.name)

    @property
    def long(self) -> bool:
        """Whether a value takes several lines."""
        return self.kind == "long text"


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


def tried(placeholder: Placeholder) -> list[str]:
    """The names that a *first of* placeholder tries, in order."""
    return [name.strip() for name in placeholder.of.split(",") if name.strip()]

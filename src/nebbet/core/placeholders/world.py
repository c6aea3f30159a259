"""What values can come from, and what a value of a letter is."""

from collections.abc import Mapping
from datetime import date, datetime, time

from msgspec import Struct, field

from nebbet.core import dates
from nebbet.core.placeholders.declared import Placeholder
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.core.values import Value


class World(Struct, frozen=True):
    """All that values can come from: who, about what, from whom, on which day.

    clock is the time of day in the team's zone, where it is known. remembered maps folded names
    to what this person answered last time. others are the names of those whom the letter goes to
    beside its recipient, empty where one is not known.
    """

    today: date
    language: str = "en_GB"
    calendar: dates.WorkingCalendar = dates.WorkingCalendar()
    recipient: Contact | None = None
    case: Case | None = None
    sender: Member | None = None
    facts: Mapping[str, Fact] = field(default_factory=dict)
    clock: time | None = None
    remembered: Mapping[str, str] = field(default_factory=dict)
    others: tuple[str, ...] = ()

    @property
    def now(self) -> date | datetime:
        """The moment as date rules count from it."""
        return datetime.combine(self.today, self.clock) if self.clock else self.today


class Particular(Struct, frozen=True):
    """One value of a letter.

    text is what stands in the letter, None for a blank; value is the same, typed, where it has a
    type. default is what the source gave. note says where the value comes from and how it was
    worked out, or why it is missing. answer is what a person typed; problem says why that cannot
    be taken, and clearer holds texts that could. known is False for a name that nothing declares;
    meant is then the nearest name that something does. is_circular says that it needs itself.
    exact is an amount as sums use it again: before it was rounded to be written.
    """

    placeholder: Placeholder
    text: str | None
    default: str | None
    note: str
    known: bool = True
    meant: str | None = None
    value: Value | None = None
    answer: str | None = None
    problem: str = ""
    clearer: tuple[str, ...] = ()
    is_circular: bool = False
    exact: Value | None = None

    @property
    def name(self) -> str:
        """The placeholder's name as the template writes it."""
        return self.placeholder.name

    @property
    def changed(self) -> bool:
        """Whether a person put another text in the place of the one worked out."""
        return self.default is not None and self.text != self.default

    @property
    def is_blank(self) -> bool:
        """Whether a person still has to complete it."""
        return self.text is None


class Decision(Struct, frozen=True):
    """Whether a condition holds; None while that cannot be worked out. note says how, or why."""

    holds: bool | None
    note: str

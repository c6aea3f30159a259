"""Which days count as working days, and why the others do not."""

from collections.abc import Mapping
from datetime import date
from functools import lru_cache

from msgspec import Struct, field

from nebbet.core.errors import NebbetError


class WorkingCalendar(Struct, frozen=True):
    """Public holidays of a country or subdivision plus the team's own closure days.

    code is ISO 3166 ("GB-SCT", "FR"), or empty for weekends only; closed maps a day to its name;
    weekdays holds the working weekdays, Monday being 0.
    """

    code: str = ""
    closed: Mapping[date, str] = field(default_factory=dict)
    weekdays: frozenset[int] = frozenset(range(5))

    def reason(self, day: date) -> str | None:
        """Why the team does not work on a weekday that it otherwise would, or None."""
        return self.closed.get(day) or _holidays(self.code).get(day)

    def is_working(self, day: date) -> bool:
        """Whether the team works on that day."""
        return day.weekday() in self.weekdays and self.reason(day) is None


def calendar_for(code: str, closed: Mapping[date, str] | None = None) -> WorkingCalendar:
    """The calendar for an ISO 3166 code. Raises NebbetError when there is none.

    >>> calendar_for("GB-SCT").is_working(date(2026, 11, 30))
    False
    """
    _holidays(code)
    return WorkingCalendar(code, closed or {})


@lru_cache(maxsize=64)
def _holidays(code: str) -> Mapping[date, str]:
    """The public holidays of a calendar; the mapping works out further years when asked."""
    if not code:
        return {}
    import holidays

    country, _, subdivision = code.partition("-")
    try:
        found = holidays.country_holidays(country, subdiv=subdivision or None)
        english = next((lang for lang in found.supported_languages if lang[:2] == "en"), None)
        if english and found.language != english:
            found = holidays.country_holidays(country, subdiv=subdivision or None, language=english)
    except NotImplementedError:
        raise NebbetError(
            f"There is no calendar “{code}”",
            advice="Give a country and, where it has them, a subdivision: GB-SCT, DE-BY, FR, NO",
        ) from None
    return found

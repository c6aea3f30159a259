"""What a team has set for all: its working days, the words of its spelling, how grave its checks
are, what is allowed in rounds."""

from abc import ABC, abstractmethod
from collections.abc import Mapping
from contextlib import AbstractContextManager
from datetime import date, time

import msgspec
from sqlalchemy import Connection

from nebbet.core.checks import Grade
from nebbet.core.dates import NINE_TO_FIVE, calendar_for
from nebbet.core.rounds import RoundRules
from nebbet.library.documents import WHATEVER, Seen
from nebbet.library.holdings import Overtaken
from nebbet.library.rows import calendar_of, grades_of, kept_calendar, round_rules_of, with_word
from nebbet.library.writes import put_setting


class SettingUp(ABC):
    """What a library does with the team's settings."""

    @abstractmethod
    def writing(
        self, what: str, kept: str = "Nothing was changed", *, leads: bool = True
    ) -> AbstractContextManager[Connection]:
        """One transaction, as `Library.writing`."""

    def add_word(self, word: str) -> None:
        """Let the team's spelling take a word from now on."""
        with self.writing("The word cannot be kept", leads=False) as connection:
            put_setting(connection, "words", lambda held: with_word(held, word))

    def put_calendar(
        self,
        code: str,
        closed: Mapping[date, str],
        zone: str = "",
        weekdays: frozenset[int] | None = None,
        hours: tuple[time, time] = NINE_TO_FIVE,
        seen: Seen = WHATEVER,
    ) -> None:
        """Set the team's working days: a calendar code, the closure days with their names, the
        working weekdays (Monday is 0; where none are given, the country's), the time zone and the
        hours in which the team works. seen is the calendar as it was shown."""
        wanted = kept_calendar(calendar_for(code, closed, zone, weekdays, hours))

        def made(held: str | None) -> str:
            now = calendar_of(held)
            if seen is not WHATEVER and now != seen:
                raise Overtaken(now)
            return msgspec.json.encode(wanted).decode()

        with self.writing("The calendar cannot be kept") as connection:
            put_setting(connection, "calendar", made)

    def put_grade(self, rule: str, grade: Grade | None, seen: Grade | None = None) -> None:
        """Give a check another grade, or its own one again; seen is the one it had when it was
        shown."""

        def made(text: str | None) -> str:
            held = grades_of(text)
            if held.get(rule) not in (seen, grade):
                raise Overtaken(held.get(rule), held.get(rule) or "")
            now = {**held, rule: grade} if grade else {k: g for k, g in held.items() if k != rule}
            return msgspec.json.encode(dict(sorted(now.items()))).decode()

        with self.writing("The check cannot be set") as connection:
            put_setting(connection, "checks", made)

    def put_round_rules(self, rules: RoundRules, seen: RoundRules) -> None:
        """Say what is allowed in rounds; seen is what was when it was shown."""

        def made(text: str | None) -> str:
            held = round_rules_of(text)
            if held not in (seen, rules):
                raise Overtaken(held)
            return msgspec.json.encode(rules).decode()

        with self.writing("The rules for rounds cannot be kept") as connection:
            put_setting(connection, "rounds", made)

"""Which letters of the register are wanted, and how many of them went on which day."""

from collections.abc import Iterable
from datetime import date, datetime, time, timedelta
from typing import Any, NamedTuple

from msgspec import Struct
from sqlalchemy import JSON, ColumnElement, Date, Engine, Select, cast, func, literal, select, text

from nebbet.core.ranking.words import wanted_words
from nebbet.library.engine import explained, reading
from nebbet.library.schema import case, register

CANNOT = "The register cannot be read"
_BY = {"sender": register.c.sender, "template": register.c.template}


class Wanted(Struct, frozen=True):
    """Which letters: with all the words, each as it begins; sent from one moment on and before
    another; by a member; with some templates (None: with any); about cases of a kind."""

    words: str = ""
    began: datetime | None = None
    ended: datetime | None = None
    sender: str = ""
    templates: tuple[str, ...] | None = None
    kind: str = ""

    @property
    def asked(self) -> list[str]:
        """The words that are looked for."""
        return wanted_words(self.words.replace("_", " "))

    @property
    def is_all(self) -> bool:
        """Whether every letter is wanted."""
        return self == Wanted()

    @property
    def is_nothing(self) -> bool:
        """Whether what was typed holds nothing that a letter could have."""
        return bool(self.words.strip()) and not self.asked


def moments_of(first: date, last: date, at: datetime) -> tuple[datetime, datetime]:
    """The moment that some days begin, and the one that they are over, where the clock of at is."""
    zone = at.tzinfo
    ended = last + timedelta(days=1)
    return datetime.combine(first, time(), zone), datetime.combine(ended, time(), zone)


def narrowed(statement: Select[Any], wanted: Wanted, engine: Engine) -> Select[Any]:
    """Of a statement over the register, only the letters that are wanted."""
    for condition in _conditions(wanted, engine):
        statement = statement.where(condition)
    return statement


def _conditions(wanted: Wanted, engine: Engine) -> Iterable[ColumnElement[bool]]:
    if wanted.asked:
        yield _with_words(wanted.asked, engine)
    if wanted.began is not None:
        yield register.c.sent >= wanted.began
    if wanted.ended is not None:
        yield register.c.sent < wanted.ended
    if wanted.sender:
        yield register.c.sender == wanted.sender
    if wanted.templates is not None:
        yield register.c.template.in_(wanted.templates)
    if wanted.kind:
        numbers = select(_number(engine)).where(case.c.kind == wanted.kind)
        yield register.c.case_number.in_(numbers)


def _number(engine: Engine) -> Any:
    """A case's number as it is written: its column has it as numbers match."""
    if engine.dialect.name == "postgresql":
        return cast(case.c.data, JSON)["number"].as_string()
    return func.json_extract(case.c.data, "$.number")


def _with_words(words: list[str], engine: Engine) -> Any:
    """The words are letters and digits alone."""
    if engine.dialect.name == "postgresql":
        asked = " & ".join(f"{word}:*" for word in words)
        found = text(
            "to_tsvector('pg_catalog.simple', register.words) "
            "@@ to_tsquery('pg_catalog.simple', :asked)"
        )
    else:
        asked = " AND ".join(f'"{word}"*' for word in words)
        found = text(
            "register.message_id IN "
            "(SELECT message_id FROM register_words WHERE register_words MATCH :asked)"
        )
    return found.bindparams(asked=asked)


class Counted(Struct, frozen=True):
    """How many letters there are of one day and one colleague or template."""

    day: date
    key: str
    count: int


def per_day(engine: Engine, wanted: Wanted, by: str, at: datetime) -> list[Counted]:
    """How many of the letters went on each day, by "sender" or "template", oldest first. A day is
    one of the clock of at, as far from UTC as that is now."""
    if wanted.is_nothing:
        return []
    ahead = at.utcoffset() or timedelta()
    day, column = _day(engine, ahead), _BY[by]
    counted = select(day, column, func.count()).group_by(day, column).order_by(day)
    with explained(CANNOT), reading(engine) as connection:
        rows = connection.execute(narrowed(counted, wanted, engine)).all()
    return [Counted(_as_day(found), key, count) for found, key, count in rows if found]


class Uses(NamedTuple):
    """How many letters with a template somebody wrote, and how many anybody did."""

    own: int = 0
    all: int = 0


def used_for(engine: Engine, kind: str, member: str, since: datetime) -> dict[str, Uses]:
    """Which templates letters about cases of a kind were written with since a moment, and how many
    with each."""
    wanted = Wanted(kind=kind, began=since)
    column = register.c.template
    counted = select(column, register.c.sender == member, func.count()).where(column != "")
    grouped = narrowed(counted, wanted, engine).group_by(column, register.c.sender == member)
    found: dict[str, Uses] = {}
    with explained(CANNOT), reading(engine) as connection:
        for template, is_own, count in connection.execute(grouped):
            known = found.get(template, Uses())
            found[template] = Uses(known.own + (count if is_own else 0), known.all + count)
    return found


def _day(engine: Engine, ahead: timedelta) -> ColumnElement[Any]:
    sent = register.c.sent
    if engine.dialect.name == "postgresql":
        return cast(func.timezone("UTC", sent) + literal(ahead), Date)
    return func.date(sent, f"{ahead // timedelta(minutes=1):+d} minutes")


def _as_day(found: object) -> date:
    return found if isinstance(found, date) else date.fromisoformat(str(found))


class Bar(Struct, frozen=True):
    """Some days, and how many letters of each key went on them."""

    first: date
    last: date
    parts: dict[str, int]

    @property
    def count(self) -> int:
        """How many there are in all."""
        return sum(self.parts.values())


_STEPS = (1, 7, 28, 91, 364)  # days


def bars(counts: Iterable[Counted], first: date, last: date, most: int) -> list[Bar]:
    """A bar for each day from the first to the last, or for so many days that there are no more
    bars than most; weeks begin on a Monday.

    >>> [bar.count for bar in bars([Counted(date(2026, 11, 3), "a", 2)],
    ...                            date(2026, 11, 2), date(2026, 11, 4), 9)]
    [0, 2, 0]
    """
    days = (last - first).days + 1
    step = next((step for step in _STEPS if days <= step * most), max(-(-days // most), 1))
    begins = first - timedelta(days=first.weekday()) if step > 1 else first
    found: list[dict[str, int]] = [{} for _ in range(((last - begins).days // step) + 1)]
    for one in counts:
        if first <= one.day <= last:
            parts = found[(one.day - begins).days // step]
            parts[one.key] = parts.get(one.key, 0) + one.count
    length = timedelta(days=step)
    return [
        Bar(begins + length * at, begins + length * (at + 1) - timedelta(days=1), parts)
        for at, parts in enumerate(found)
    ]

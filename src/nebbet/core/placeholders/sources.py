"""Where values come from: one function for each source."""

from collections.abc import Callable, Mapping
from datetime import date, datetime
from typing import Protocol

from nebbet.core import dates, inline, records, sums
from nebbet.core.placeholders import languages, typed
from nebbet.core.placeholders.declared import Placeholder, tried
from nebbet.core.placeholders.formats import language_of
from nebbet.core.placeholders.names import GREETING
from nebbet.core.placeholders.world import Decision, Particular, World
from nebbet.core.records import fold
from nebbet.core.values import Value, from_json

Found = tuple[Value, str]


class Working(Protocol):
    """The working out of a letter's values, as far as a source asks it."""

    world: World

    def value(self, name: str) -> Value:
        """The value of a name. Raises NoValue."""

    def particular(self, name: str) -> Particular:
        """Everything about a name."""

    def holds(self, condition: str) -> Decision:
        """Whether a condition holds."""

    def work_out(self, placeholder: Placeholder) -> sums.Result:
        """What a sum gives."""


class Missing(Exception):
    """Carries the reason why a source has no value."""


def lack(found: Particular) -> str:
    """Why a particular has no value, in words."""
    if not found.known:
        return found.note
    title = found.placeholder.title
    if found.placeholder.source == "blank" and found.text is None:
        return f"{title} is not completed yet"
    if found.is_circular:
        return found.note
    return f"{title} is missing: {found.note}"


def _from_fields(fields: Mapping[str, Value], wanted: str, owner: str) -> Found:
    key = fold(wanted)
    for name, value in fields.items():
        if fold(name) == key:
            return value, f"{owner}: {records.label_of(name).lower()}"
    raise Missing(f"{owner} has no {records.label_of(wanted).lower()}")


def _recipient(placeholder: Placeholder, at: Working) -> Found:
    world = at.world
    if world.recipient is None:
        raise Missing("no recipient is chosen yet")
    if fold(placeholder.of) == GREETING:
        words, why = languages.greeting(
            world.recipient, language_of(world.language).language, world.others
        )
        if not words:
            raise Missing("the recipient has no name, and how this language greets is not known")
        return words, why
    fields = records.contact_fields(world.recipient)
    return _from_fields(fields, placeholder.of, "the recipient")


def _sender(placeholder: Placeholder, at: Working) -> Found:
    if at.world.sender is None:
        raise Missing("the sender is not known")
    return _from_fields(records.member_fields(at.world.sender), placeholder.of, "the sender")


def _case(placeholder: Placeholder, at: Working) -> Found:
    if at.world.case is None:
        raise Missing("no case is chosen yet")
    fields = records.case_fields(at.world.case)
    return _from_fields(fields, placeholder.of, f"case {at.world.case.number}")


def _fact(placeholder: Placeholder, at: Working) -> Found:
    key = fold(placeholder.of)
    for name, fact in at.world.facts.items():
        if fold(name) == key:
            return from_json(fact.value), f"the fact “{fact.label or name}”"
    raise Missing(f"the library has no fact “{placeholder.of}”")


def _date(placeholder: Placeholder, at: Working) -> Found:
    rule = dates.read(placeholder.of)
    named = {name: _day_of(name, at) for name in rule.names}
    worked = dates.work_out(rule, at.world.now, at.world.calendar, named)
    return worked.value, dates.explain(worked)


def _day_of(name: str, at: Working) -> date | datetime:
    try:
        value = at.value(name)
    except sums.NoValue as missing:
        raise Missing(str(missing)) from None
    if not isinstance(value, date):
        raise Missing(f"“{name}” is {sums.kind_of(value)}, not a date")
    return value


def _sum(placeholder: Placeholder, at: Working) -> Found:
    result = at.work_out(placeholder)
    return result.exact, result.explanation


def _first(placeholder: Placeholder, at: Working) -> Found:
    """The first of several that has a value; a blank among them is one that a person completes."""
    reasons = []
    for name in tried(placeholder):
        try:
            value = at.value(name)
        except sums.NoValue as missing:
            reasons.append(str(missing))
            continue
        return value, at.particular(name).note
    raise Missing("; ".join(reasons) or f"{placeholder.title} does not say what to try")


def _copy(placeholder: Placeholder, at: Working) -> Found:
    decision = at.holds(placeholder.when)
    if decision.holds is None:
        raise Missing(f"copied only if {placeholder.when}, which cannot be told: {decision.note}")
    if not decision.holds:
        return "", f"not copied: {decision.note}"
    parts = []
    for part in inline.parse(placeholder.of):
        text = part if isinstance(part, str) else at.particular(part.name).text
        if text is None and not isinstance(part, str):
            raise Missing(lack(at.particular(part.name)))
        parts.append(text or "")
    return "".join(parts), f"copied: {decision.note}"


def _blank(placeholder: Placeholder, at: Working) -> Found:
    last = at.world.remembered.get(fold(placeholder.name)) if placeholder.remember else None
    if last:
        reading = typed.read(last, placeholder, at.world.language, at.world.today)
        if reading.value is not None and not reading.problem:
            return reading.value, "as you answered last time"
    raise Missing(placeholder.hint or "to be completed by you")


SOURCES: Mapping[str, Callable[[Placeholder, Working], Found]] = {
    "recipient": _recipient,
    "sender": _sender,
    "case": _case,
    "fact": _fact,
    "date": _date,
    "sum": _sum,
    "first": _first,
    "copy": _copy,
    "blank": _blank,
}

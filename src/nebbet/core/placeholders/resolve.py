"""Working out the particulars: every value with its source, and how it came about."""

from collections.abc import Callable, Iterable, Mapping
from datetime import date

from msgspec import Struct, field

from nebbet.core import dates, records
from nebbet.core.errors import NebbetError
from nebbet.core.placeholders.declared import Placeholder, implied
from nebbet.core.placeholders.formats import show
from nebbet.core.records import Case, Contact, Fact, Member, fold
from nebbet.core.values import Value, from_json


class World(Struct, frozen=True):
    """All that values can come from: who, about what, from whom, on which day."""

    today: date
    language: str = "en_GB"
    calendar: dates.WorkingCalendar = dates.WorkingCalendar()
    recipient: Contact | None = None
    case: Case | None = None
    sender: Member | None = None
    facts: Mapping[str, Fact] = field(default_factory=dict)


class Particular(Struct, frozen=True):
    """One value of a letter.

    text is what stands in the letter, None for a blank. default is what the source gave. note
    says where the value comes from and how it was worked out, or why it is missing. known is
    False for a name that nothing declares; meant is then the nearest name that something does.
    """

    placeholder: Placeholder
    text: str | None
    default: str | None
    note: str
    known: bool = True
    meant: str | None = None

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


class _Missing(Exception):
    """Carries the reason why a source has no value."""


def resolve(
    wanted: Iterable[str],
    declared: Iterable[Placeholder],
    world: World,
    answers: Mapping[str, str],
) -> tuple[Particular, ...]:
    """Work out every wanted placeholder once, in the order of first use.

    answers maps folded names to what a person typed; it wins over every source, and an empty
    answer means that the person took the value out. Never raises for a value: what cannot be had
    becomes a blank with the reason in its note.
    """
    by_name = {fold(p.name): p for p in declared}
    done: dict[str, Particular] = {}
    for name in wanted:
        key = fold(name)
        if key not in done:
            placeholder = by_name.get(key) or implied(name)
            done[key] = (
                _particular(placeholder, world, answers.get(key))
                if placeholder
                else _unknown(name, by_name.values(), world, answers.get(key))
            )
    return tuple(done.values())


def _particular(placeholder: Placeholder, world: World, answer: str | None) -> Particular:
    try:
        value, note = _SOURCES[placeholder.source](placeholder, world)
        default: str | None = show(value, world.language, placeholder.format)
    except _Missing as missing:
        default, note = _fallback(placeholder, str(missing))
    except NebbetError as error:
        default, note = _fallback(placeholder, error.what)
    return Particular(placeholder, _answered(placeholder, answer, default), default, note)


def _answered(placeholder: Placeholder, answer: str | None, default: str | None) -> str | None:
    if answer is None:
        return default
    return answer or (None if placeholder.required else "")


def _fallback(placeholder: Placeholder, reason: str) -> tuple[str | None, str]:
    if placeholder.fallback:
        return placeholder.fallback, f"{reason}; “{placeholder.fallback}” stands in"
    if not placeholder.required:
        return "", f"{reason}; may stay empty"
    return None, reason


def _unknown(
    name: str, declared: Iterable[Placeholder], world: World, answer: str | None
) -> Particular:
    close = nearest(name, known_names(declared, world))
    note = f"no placeholder is called “{name}”" + (f"; did you mean “{close}”?" if close else "")
    return Particular(Placeholder(name), answer or None, None, note, known=False, meant=close)


def nearest(name: str, candidates: Iterable[str]) -> str | None:
    """The known name that a mistyped one most likely stands for, or None.

    >>> nearest("bokking", ["booking", "sailing"])
    'booking'
    """
    from rapidfuzz import process

    found = process.extractOne(name, list(candidates), processor=fold, score_cutoff=60)
    return found[0] if found else None


def known_names(declared: Iterable[Placeholder], world: World) -> list[str]:
    """Every name that a template may use here: declared ones, fields and facts."""
    contact = records.contact_fields(world.recipient) if world.recipient else {}
    case = records.case_fields(world.case) if world.case else {}
    return [
        *(p.name for p in declared),
        *(f"recipient.{f}" for f in dict.fromkeys([*records.CONTACT_FIELDS, *contact])),
        *(f"sender.{f}" for f in records.MEMBER_FIELDS),
        *(f"case.{f}" for f in dict.fromkeys([*records.CASE_FIELDS, *case])),
        *(f"fact.{f}" for f in world.facts),
    ]


def _from_fields(fields: Mapping[str, Value], wanted: str, owner: str) -> tuple[Value, str]:
    key = fold(wanted)
    for name, value in fields.items():
        if fold(name) == key:
            return value, f"{owner}: {records.label_of(name).lower()}"
    raise _Missing(f"{owner} has no {records.label_of(wanted).lower()}")


def _recipient(placeholder: Placeholder, world: World) -> tuple[Value, str]:
    if world.recipient is None:
        raise _Missing("no recipient is chosen yet")
    fields = records.contact_fields(world.recipient)
    return _from_fields(fields, placeholder.of, "the recipient")


def _sender(placeholder: Placeholder, world: World) -> tuple[Value, str]:
    if world.sender is None:
        raise _Missing("the sender is not known")
    return _from_fields(records.member_fields(world.sender), placeholder.of, "the sender")


def _case(placeholder: Placeholder, world: World) -> tuple[Value, str]:
    if world.case is None:
        raise _Missing("no case is chosen yet")
    fields = records.case_fields(world.case)
    return _from_fields(fields, placeholder.of, f"case {world.case.number}")


def _fact(placeholder: Placeholder, world: World) -> tuple[Value, str]:
    key = fold(placeholder.of)
    for name, fact in world.facts.items():
        if fold(name) == key:
            return from_json(fact.value), f"the fact “{fact.label or name}”"
    raise _Missing(f"the library has no fact “{placeholder.of}”")


def _date(placeholder: Placeholder, world: World) -> tuple[Value, str]:
    worked = dates.work_out(dates.read(placeholder.of), world.today, world.calendar)
    return worked.day, dates.explain(worked)


def _blank(placeholder: Placeholder, _world: World) -> tuple[Value, str]:
    raise _Missing(placeholder.hint or "to be completed by you")


_SOURCES: Mapping[str, Callable[[Placeholder, World], tuple[Value, str]]] = {
    "recipient": _recipient,
    "sender": _sender,
    "case": _case,
    "fact": _fact,
    "date": _date,
    "blank": _blank,
}

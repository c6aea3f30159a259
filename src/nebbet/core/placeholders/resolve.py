"""Working out the particulars: every value with its source, and how it came about."""

from collections.abc import Iterable, Mapping
from datetime import date, datetime, time
from decimal import Decimal

from msgspec.structs import replace

from nebbet.core import sums
from nebbet.core.dates import on_the_wall
from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import modifiers, typed
from nebbet.core.placeholders.declared import Kind, Placeholder, implied
from nebbet.core.placeholders.formats import show
from nebbet.core.placeholders.names import did_you_mean, known_names, nearest
from nebbet.core.placeholders.sources import SOURCES, Missing, lack
from nebbet.core.placeholders.world import Decision, Particular, World
from nebbet.core.records import fold
from nebbet.core.values import Money, Value

MOST_LINKS = 40  # placeholders that need each other in a row


def resolve(
    wanted: Iterable[str],
    declared: Iterable[Placeholder],
    world: World,
    answers: Mapping[str, str],
) -> tuple[Particular, ...]:
    """Work out every wanted placeholder once, in the order of first use, and then all that they
    need in turn.

    answers maps folded names to what a person typed; it wins over every source, and an empty
    answer means that the person took the value out. Never raises for a value: what cannot be had
    becomes a blank with the reason in its note.
    """
    return Resolution(declared, world, answers).particulars(wanted)


class Resolution:
    """Works values out at once in the order of their dependence, each one time.

    excused holds the folded names whose every place has its own words for a missing value.
    """

    def __init__(
        self,
        declared: Iterable[Placeholder],
        world: World,
        answers: Mapping[str, str],
        excused: Iterable[str] = (),
    ) -> None:
        self.world = world
        self._declared = {fold(p.name): p for p in declared}
        self._answers, self._excused = answers, frozenset(excused)
        self._done: dict[str, Particular] = {}
        self._path: list[str] = []
        self._circular: set[str] = set()  # names that need themselves, or such a name

    def particulars(self, wanted: Iterable[str]) -> tuple[Particular, ...]:
        """The particulars of the wanted names, then of those that they needed."""
        first = {fold(name): self.particular(name) for name in wanted}
        rest = [p for key, p in self._done.items() if key not in first]
        return (*first.values(), *rest)

    def holds(self, condition: str) -> Decision:
        """Whether a condition holds here."""
        try:
            result = sums.work_out(sums.read(condition), self._scope())
        except NebbetError as error:
            return Decision(None, error.what)
        if not isinstance(result.value, bool):
            said = f"“{condition}” gives {sums.kind_of(result.value)}, not yes or no"
            return Decision(None, said)
        return Decision(result.value, result.explanation)

    def work_out(self, placeholder: Placeholder) -> sums.Result:
        """Work the sum of a placeholder out. Raises NebbetError with what stands in the way."""
        return sums.work_out(sums.read(placeholder.of), self._scope(placeholder.rounding))

    def particular(self, name: str) -> Particular:
        """The particular of one name."""
        key = fold(name)
        if key in self._path:
            self._circular.update(self._path)
            asked = self._declared.get(key) or Placeholder(name)
            return Particular(asked, None, None, self._circle(key), is_circular=True)
        if key not in self._done:
            placeholder = self._declared.get(key) or implied(name)
            answer = self._answers.get(key)
            found = self._work(placeholder, answer) if placeholder else self._unknown(name, answer)
            if found.is_blank and placeholder and key not in self._declared:
                found = self._with_nearest(found)
            # A circle is entered at several names; the outermost one is kept.
            self._done[key] = found
        return self._done[key]

    def value(self, name: str) -> Value:
        """The typed value of a name, for sums and rules. Raises sums.NoValue with the reason."""
        key = fold(name)
        if key in self._path:
            self._circular.update(self._path)
            raise sums.NoValue(self._circle(key))
        if len(self._path) >= MOST_LINKS:
            raise sums.NoValue(f"more than {MOST_LINKS} placeholders need each other in a row")
        found = self.particular(name)
        if found.problem:
            raise sums.NoValue(found.problem)
        if found.value is None or found.value == "":
            if found.is_circular:
                self._circular.update(self._path)
            raise sums.NoValue(lack(found))
        return found.value if found.exact is None else found.exact

    def _circle(self, key: str) -> str:
        names = [self._titled(k) for k in (*self._path[self._path.index(key) :], key)]
        return "a circle: " + " needs ".join(f"“{name}”" for name in names)

    def _titled(self, key: str) -> str:
        found = self._declared.get(key)
        return found.name if found else key

    def _scope(self, rounding: sums.Rounding = "half even") -> sums.Scope:
        world = self.world

        def shown(value: Value) -> str:
            return show(value, "en_GB")

        return sums.Scope(self.value, world.today, world.calendar, shown, rounding)

    def _work(self, placeholder: Placeholder, answer: str | None) -> Particular:
        exact: Value | None = None
        value: Value | None = None
        self._path.append(fold(placeholder.name))
        try:
            found_there, note = SOURCES[placeholder.source](placeholder, self)
            exact = in_zone(found_there, self.world.calendar.zone)
            value = _as_written(exact, placeholder)
            default: str | None = show(value, self.world.language, placeholder.format)
        except Missing as missing:
            default, note = self._fallback(placeholder, str(missing))
            value = self._reread(placeholder, default)
        except NebbetError as error:
            default, note = self._fallback(placeholder, error.what)
            value = self._reread(placeholder, default)
        finally:
            self._path.pop()
        circular = value is None and fold(placeholder.name) in self._circular
        found = Particular(
            placeholder, default, default, note, value=value, is_circular=circular, exact=exact
        )
        return found if answer is None else self._answered(found, answer)

    def _reread(self, placeholder: Placeholder, text: str | None) -> Value | None:
        """The value that stands in for a missing one, typed as far as it can be."""
        if not text:
            return text
        reading = typed.read(text, placeholder, self.world.language, self.world.today)
        return text if reading.value is None else reading.value

    def _answered(self, found: Particular, answer: str) -> Particular:
        """The particular with what a person typed in the place of what the source gave."""
        found = replace(found, exact=None)
        if not answer:
            text = None if found.placeholder.required else ""
            return replace(found, text=text, value=text, answer=answer)
        asked = _kind_for(found)
        reading = typed.read(answer, asked, self.world.language, self.world.today)
        if reading.problem:
            if asked.kind == found.placeholder.kind or reading.clearer:
                return replace(
                    found,
                    text=answer,
                    value=None,
                    answer=answer,
                    problem=reading.problem,
                    clearer=reading.clearer,
                )
            # Other words may stand for a date or an amount; what has figures was to be one.
            problem = reading.problem if any(sign.isdigit() for sign in answer) else ""
            return replace(found, text=answer, value=answer, answer=answer, problem=problem)
        text = answer
        if reading.value is not None and not isinstance(reading.value, str):
            text = show(reading.value, self.world.language, _fitting(found.placeholder, reading))
        elif asked.kind in ("choice", "link"):
            text = str(reading.value)
        return replace(found, text=text, value=reading.value, answer=answer)

    def _fallback(self, placeholder: Placeholder, reason: str) -> tuple[str | None, str]:
        if placeholder.fallback:
            return placeholder.fallback, f"{reason}; “{placeholder.fallback}” stands in"
        if not placeholder.required:
            return "", f"{reason}; may stay empty"
        if fold(placeholder.name) in self._excused:
            return "", f"{reason}; the text has its own words for that"
        return None, reason

    def _with_nearest(self, found: Particular) -> Particular:
        """A field that is not there, with the one that was probably meant."""
        known = known_names(self._declared.values(), self.world)
        close = nearest(found.name, known, cutoff=85)
        if close is None or fold(close) == fold(found.name):
            return found
        return replace(found, meant=close, note=found.note + did_you_mean(close))

    def _unknown(self, name: str, answer: str | None) -> Particular:
        note, close = self.not_known(name)
        return Particular(
            Placeholder(name),
            answer or None,
            None,
            note,
            known=False,
            meant=close,
            value=answer or None,
            answer=answer,
        )

    def not_known(self, name: str) -> tuple[str, str | None]:
        """What to say of a name that nothing declares, and the nearest one that something does."""
        close = nearest(name, known_names(self._declared.values(), self.world))
        note = f"no placeholder is called “{name}”"
        return note + did_you_mean(close), close


def in_zone(value: Value, zone: str) -> Value:
    """A value whose moments are those on the clocks of a time zone: one that came with an offset
    could not be held against others."""
    match value:
        case datetime():
            return on_the_wall(value, zone)
        case tuple():
            return tuple(on_the_wall(v, zone) if isinstance(v, datetime) else v for v in value)
    return value


def _as_written(value: Value, placeholder: Placeholder) -> Value:
    """A value as it stands in the letter: what was worked out is rounded to its minor units."""
    if isinstance(value, Money) and placeholder.source in ("sum", "first"):
        return sums.minor_units(value, placeholder.rounding)
    return value


def _kind_for(found: Particular) -> Placeholder:
    """How to read what a person typed over a value: as the declared kind, else as the value's."""
    placeholder = found.placeholder
    if placeholder.kind != "text" or placeholder.source == "blank":
        return placeholder
    kinds: Mapping[type, Kind] = {
        datetime: "date", date: "date", time: "time", Money: "money", Decimal: "number",
        bool: "yes/no",
    }  # fmt: skip
    kind = kinds.get(type(found.value), "text")
    currency = found.value.currency if isinstance(found.value, Money) else ""
    return replace(placeholder, kind=kind, currency=placeholder.currency or currency)


def _fitting(placeholder: Placeholder, reading: typed.Reading) -> str:
    """The declared format, unless what was typed is of another kind than it is for."""
    try:
        if reading.value is not None:
            show(reading.value, "en_GB", placeholder.format)
    except NebbetError:
        return ""
    return placeholder.format


def members(particular: Particular) -> int:
    """How many members the list of a particular has; a single value is one, and so is a blank
    that is still to be completed."""
    value = particular.value
    if isinstance(value, tuple):
        return len(value)
    return 0 if particular.text == "" else 1


def member_of(particular: Particular, item: int, language: str) -> Particular:
    """The particular of one member of a list, counted from 1; a single value is its only one."""
    value = particular.value
    if not isinstance(value, tuple):
        return particular
    if item > len(value):
        return replace(particular, text=None, value=None)
    one = value[item - 1]
    text = show(one, language, particular.placeholder.format)
    return replace(particular, value=one, text=text, default=text)


def text_in(particular: Particular, wanted: str, language: str) -> str | None:
    """What a particular reads as in a place with modifiers; None where it leaves a blank.

    What a person typed that is of no kind stands as it is. Raises NebbetError for a modifier that
    does not fit the value.
    """
    if not wanted:
        return particular.text
    asked = modifiers.read(wanted)
    if not particular.text:
        return particular.text if asked.instead is None else asked.instead
    value = particular.value
    by_hand = particular.answer is not None or not particular.known
    if value is None or (isinstance(value, str) and by_hand and not asked.forms):
        return modifiers.in_case(particular.text, asked.case, language)
    return modifiers.write(value, wanted, language, particular.placeholder.format)

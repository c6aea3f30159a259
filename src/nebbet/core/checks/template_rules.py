"""The checks of a template before it becomes an edition, a rule each."""

from collections.abc import Callable, Iterator
from datetime import date
from decimal import Decimal

from nebbet.core import addresses, body, dates, inline, placeholders, sums
from nebbet.core import letter as letters
from nebbet.core.checks.findings import Finding, Remedy
from nebbet.core.checks.frame_rules import check_frame
from nebbet.core.checks.rules import Found, Rule, run
from nebbet.core.checks.subjects import TemplateToCheck
from nebbet.core.checks.text_rules import TEXT_RULES
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, slots, start
from nebbet.core.placeholders import Placeholder, Resolution, World, implied, modifiers, tried
from nebbet.core.records import fold
from nebbet.core.values import Money, Value


def check_content(
    content: Content,
    world: World,
    frame: body.Frame | None = None,
    expired: Callable[[str], date | None] = lambda _file: None,
) -> tuple[Finding, ...]:
    """Check every text of a template, as TemplateToCheck; stops first, then doubts."""
    return run(TEMPLATE_RULES, TemplateToCheck(content, world, frame, expired))


# Names


def _slots(content: Content) -> Iterator[inline.Slot]:
    for code in content.texts:
        yield from slots(start("", content, language=code))


def _made(content: Content) -> set[str]:
    """The names that a letter makes by itself, for the copies with a condition."""
    placed = start("", content).placeholders[len(content.placeholders) :]
    return {fold(placeholder.name) for placeholder in placed}


def _is_known(name: str, content: Content) -> bool:
    return implied(name) is not None or fold(name) in {fold(p.name) for p in content.placeholders}


def _undeclared(at: TemplateToCheck) -> Iterator[Found]:
    made = _made(at.content)
    for key, name in {fold(slot.name): slot.name for slot in _slots(at.content)}.items():
        if key not in made and not _is_known(name, at.content):
            yield _unknown(f"{{{{{name}}}}} is used but not declared", name, at)


def _needed(at: TemplateToCheck) -> Iterator[Found]:
    """Names that sums, conditions and repeated parts need."""
    for what, names in _needs(at.content):
        for name in names:
            if not _is_known(name, at.content):
                yield _unknown(f"{what} needs “{name}”, which nothing declares", name, at)


def _unknown(said: str, name: str, at: TemplateToCheck) -> Found:
    known = placeholders.known_names(at.content.placeholders, at.world)
    close = placeholders.nearest(name, known)
    if close is None:
        return Found("body", said, name)
    said += f"; did you mean {{{{{close}}}}}?"
    return Found("body", said, name, Remedy(f"Use {{{{{close}}}}}", "rename", name, close))


def _needs(content: Content) -> Iterator[tuple[str, list[str]]]:
    """What needs names, in words, with the names; what cannot be read needs none."""
    for when in _conditions(content):
        yield f"The condition “{when}”", _names_in(when)
    lists = [each for texts in content.texts.values() for each in body.lists_of(texts.blocks)]
    for each in dict.fromkeys(lists):
        yield "A repeated part", [each]
    for placeholder in content.placeholders:
        if placeholder.source == "sum" and tried(placeholder):
            yield placeholder.title, _names_in(placeholder.of)
        if placeholder.source == "first":
            yield placeholder.title, list(tried(placeholder))


def _names_in(text: str) -> list[str]:
    try:
        return sums.names(sums.read(text))
    except NebbetError:
        return []


def _conditions(content: Content) -> list[str]:
    found = [when for texts in content.texts.values() for when in body.conditions(texts.blocks)]
    found += [enclosure.when for enclosure in content.enclosures if enclosure.when]
    found += [copy.when for copy in content.copies.conditional]
    return list(dict.fromkeys(found))


def _modifiers(at: TemplateToCheck) -> Iterator[Found]:
    for slot in {slot.inner: slot for slot in _slots(at.content)}.values():
        try:
            modifiers.read(slot.modifiers)
        except NebbetError as error:
            yield Found("body", f"{{{{{slot.inner}}}}}: {error.sentence}", slot.name)


# What is worked out


def _sums(at: TemplateToCheck) -> Iterator[Found]:
    """Whether sums and conditions can be read."""
    written = [(f"The condition “{when}”", when, when) for when in _conditions(at.content)]
    written += [
        (p.title, p.of, p.name) for p in at.content.placeholders if p.source == "sum" and tried(p)
    ]
    for what, text, span in written:
        try:
            sums.read(text)
        except NebbetError as error:
            yield Found("placeholders", f"{what}: {error.what}", span)


def _declarations(at: TemplateToCheck) -> Iterator[Found]:
    for placeholder in at.content.placeholders:
        title = placeholder.title
        if placeholder.source != "blank" and not tried(placeholder):
            wanted = _WANTED.get(placeholder.source, f"which {placeholder.source} field it takes")
            yield Found("placeholders", f"{title} does not say {wanted}", placeholder.name)
            continue
        for said in _mistakes(placeholder, at.content, at.world):
            yield Found("placeholders", f"{title}: {said}", placeholder.name)


_WANTED = {
    "date": "which date rule it follows",
    "sum": "what it is worked out from",
    "first": "which placeholders to try",
    "fact": "which fact it takes",
}


def _mistakes(placeholder: Placeholder, content: Content, world: World) -> Iterator[str]:
    """What is wrong with a declaration in itself."""
    try:
        if placeholder.source == "date":
            yield from _date_rule(placeholder, content, world)
        elif placeholder.format:
            _try_format(placeholder, world.today)
        _try_limits(placeholder, world.today)
    except NebbetError as error:
        yield error.what
    if placeholder.kind == "choice" and not placeholder.choices:
        yield "it is a choice without anything to choose from"
    yield from _fails(placeholder, Resolution(content.placeholders, world, {}))


def _fails(placeholder: Placeholder, resolution: Resolution) -> Iterator[str]:
    """What keeps a placeholder from ever having a value, as far as the example shows."""
    found = resolution.particular(placeholder.name)
    if found.is_circular:
        yield found.note
    elif placeholder.source == "sum":
        try:
            resolution.work_out(placeholder)
        except sums.Unanswered:
            return  # the example only lacks a value
        except sums.SumError as error:
            yield error.what
        except NebbetError:
            return  # told already: it cannot be read


def _date_rule(placeholder: Placeholder, content: Content, world: World) -> Iterator[str]:
    rule = dates.read(placeholder.of)
    for name in rule.names:
        if not _is_known(name, content):
            close = placeholders.nearest(
                name, placeholders.known_names(content.placeholders, world)
            )
            meant = placeholders.did_you_mean(close)
            yield f"it counts from “{name}”, which nothing declares{meant}"
    year = dates.year_view(rule, world.today, world.calendar)
    failing = next((day for day in year if day.worked is None), None)
    if failing:
        yield f"on {failing.day.isoformat()} it gives nothing: {failing.problem}"
    elif year[0].worked:
        placeholders.show(year[0].worked.value, world.language, placeholder.format)


def _try_limits(placeholder: Placeholder, today: date) -> None:
    samples: dict[str, Value] = {
        "number": Decimal(1),
        "money": Money(Decimal(1), "EUR"),
        "date": today,
    }
    sample = samples.get(placeholder.kind)
    for limit in filter(None, (placeholder.least, placeholder.most)):
        if sample is not None:
            placeholders.limit_of(limit, sample, today)


def _try_format(placeholder: Placeholder, today: date) -> None:
    """A format has to fit a date or a number; which of them, only the letter will know."""
    try:
        placeholders.show(today, "en_GB", placeholder.format)
    except NebbetError:
        if not set(placeholder.format) & set("0#"):  # no number pattern is without them
            raise
        placeholders.show(Decimal(1), "en_GB", placeholder.format)


# Beside the texts


def _copies(at: TemplateToCheck) -> Iterator[Found]:
    written, copies = letters.ADDRESS_LINES, at.content.copies
    lines = [(part, getattr(copies, part)) for part in written]
    lines += [(copy.part, copy.address) for copy in copies.conditional]
    for part, line in lines:
        text = inline.shown(inline.parse(line), blank=lambda _name: "somebody@host.example")
        for problem in addresses.read(text)[1]:
            said = f"“{problem.text}” in {written[part]} is not a mail address: {problem.reason}"
            yield Found(part, said, problem.text)


def _enclosures(at: TemplateToCheck) -> Iterator[Found]:
    for enclosure in at.content.enclosures:
        if day := at.expired(enclosure.file):
            said = f"The enclosure {enclosure.name} was valid until {day:%d %B %Y}"
            yield Found("attachments", said, enclosure.name)


def _frame(at: TemplateToCheck) -> Iterator[Found]:
    for found in check_frame(at.frame) if at.frame else ():
        yield Found(found.part, found.sentence, found.span, severity=found.severity)


TEMPLATE_RULES: tuple[Rule[TemplateToCheck], ...] = (
    Rule("unknown", "doubt", _undeclared),
    Rule("modifier", "stop", _modifiers),
    Rule("sum", "stop", _sums),
    Rule("needed", "stop", _needed),
    *TEXT_RULES,
    Rule("address", "stop", _copies),
    Rule("expired", "stop", _enclosures),
    Rule("frame", "stop", _frame),
    Rule("declaration", "stop", _declarations),
)

"""The checks of a template before it becomes an edition, a rule each."""

from collections.abc import Callable, Iterator
from datetime import date
from decimal import Decimal

from nebbet.core import addresses, body, dates, inline, placeholders, sums
from nebbet.core import letter as letters
from nebbet.core.checks.findings import Finding
from nebbet.core.checks.frame_rules import check_frame
from nebbet.core.checks.name_rules import (
    enclosure_names_rule,
    facts_rule,
    is_known,
    modifiers_rule,
    needed_rule,
    undeclared_rule,
)
from nebbet.core.checks.rules import Found, Rule, run
from nebbet.core.checks.subjects import TemplateToCheck
from nebbet.core.checks.sum_rules import sum_rule
from nebbet.core.checks.text_rules import TEXT_RULES
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content
from nebbet.core.placeholders import Placeholder, Resolution, World, tried
from nebbet.core.sentences import said
from nebbet.core.values import Money, Value


def check_content(
    content: Content,
    world: World,
    frame: body.Frame | None = None,
    expired: Callable[[str], date | None] = lambda _file: None,
) -> tuple[Finding, ...]:
    """Check every text of a template, as TemplateToCheck; stops first, then doubts."""
    return run(TEMPLATE_RULES, TemplateToCheck(content, world, frame, expired))


# What is worked out


def _declarations(at: TemplateToCheck) -> Iterator[Found]:
    for placeholder in at.content.placeholders:
        title = placeholder.title
        if placeholder.source != "blank" and not tried(placeholder):
            yield Found("placeholders", _says_nothing(placeholder), placeholder.name)
            continue
        for problem in _mistakes(placeholder, at.content, at.world):
            sentence = said("{what}: {problem}", what=title, problem=problem)
            yield Found("placeholders", sentence, placeholder.name)


def _says_nothing(placeholder: Placeholder) -> str:
    """That a placeholder does not say where its value comes from."""
    title = placeholder.title
    match placeholder.source:
        case "date":
            return said("{what} does not say which date rule it follows", what=title)
        case "sum":
            return said("{what} does not say what it is worked out from", what=title)
        case "first":
            return said("{what} does not say which placeholders to try", what=title)
        case "fact":
            return said("{what} does not say which fact it takes", what=title)
        case "case":
            return said("{what} does not say which case field it takes", what=title)
        case "sender":
            return said("{what} does not say which sender field it takes", what=title)
        case _:
            return said("{what} does not say which recipient field it takes", what=title)


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
        yield said("it is a choice without anything to choose from")
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
        if not is_known(name, content):
            close = placeholders.nearest(
                name, placeholders.known_names(content.placeholders, world)
            )
            if close:
                yield said(
                    "it counts from “{name}”, which nothing declares; did you mean “{close}”?",
                    name=name,
                    close=close,
                )
            else:
                yield said("it counts from “{name}”, which nothing declares", name=name)
    year = dates.year_view(rule, world.today, world.calendar)
    failing = next((day for day in year if day.worked is None), None)
    if failing:
        yield said(
            "on {day} it gives nothing: {problem}",
            day=failing.day.isoformat(),
            problem=failing.problem,
        )
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
        text = addresses.shown(inline.parse(line), blank=lambda _name: "somebody@host.example")
        for problem in addresses.read(text)[1]:
            sentence = said(
                "“{text}” in {line} is not a mail address: {reason}",
                text=problem.text,
                line=written[part],
                reason=problem.reason,
            )
            yield Found(part, sentence, problem.text)


def _enclosures(at: TemplateToCheck) -> Iterator[Found]:
    for enclosure in at.content.enclosures:
        if day := at.expired(enclosure.file):
            sentence = said(
                "The enclosure {name} was valid until {day}",
                name=enclosure.name,
                day=f"{day:%d %B %Y}",
            )
            yield Found("attachments", sentence, enclosure.name)


def _frame(at: TemplateToCheck) -> Iterator[Found]:
    for found in check_frame(at.frame) if at.frame else ():
        yield Found(found.part, found.sentence, found.span, severity=found.severity)


TEMPLATE_RULES: tuple[Rule[TemplateToCheck], ...] = (
    Rule("unknown", "doubt", undeclared_rule),
    Rule("fact", "stop", facts_rule),
    Rule("modifier", "stop", modifiers_rule),
    Rule("sum", "stop", sum_rule),
    Rule("needed", "stop", needed_rule),
    *TEXT_RULES,
    Rule("enclosure", "stop", enclosure_names_rule),
    Rule("address", "stop", _copies),
    Rule("expired", "stop", _enclosures),
    Rule("frame", "stop", _frame),
    Rule("declaration", "stop", _declarations),
)

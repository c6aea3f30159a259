"""The checks of a template before it becomes an edition."""

from collections.abc import Iterator
from datetime import date
from decimal import Decimal

from nebbet.core import addresses, body, dates, inline, placeholders
from nebbet.core.checks.findings import Finding
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, names, start
from nebbet.core.placeholders import Placeholder, World, implied
from nebbet.core.records import fold


def check_content(content: Content, world: World) -> tuple[Finding, ...]:
    """Check every text of a template; stops first, then doubts. world gives facts and fields."""
    found = [*_names(content, world), *_texts(content), *_copies(content)]
    for placeholder in content.placeholders:
        found += _declaration(placeholder, world)
    return tuple(f for grade in ("stop", "doubt", "note") for f in found if f.severity == grade)


def _names(content: Content, world: World) -> Iterator[Finding]:
    declared = {fold(p.name) for p in content.placeholders}
    used: dict[str, str] = {}
    for code in content.texts:
        used |= {fold(name): name for name in names(start("", content, language=code))}
    for key, name in used.items():
        if key in declared or implied(name):
            continue
        close = placeholders.nearest(name, placeholders.known_names(content.placeholders, world))
        said = f"{{{{{name}}}}} is used but not declared"
        said += f"; did you mean {{{{{close}}}}}?" if close else ""
        yield Finding("unknown", "doubt", "body", said, name)


def _declaration(placeholder: Placeholder, world: World) -> Iterator[Finding]:
    title = placeholder.title
    try:
        if placeholder.source == "date":
            worked = dates.work_out(dates.read(placeholder.of), world.today, world.calendar)
            placeholders.show(worked.day, world.language, placeholder.format)
        elif placeholder.source != "blank" and not placeholder.of.strip():
            said = f"{title} does not say which {placeholder.source} field it takes"
            yield Finding("declaration", "stop", "placeholders", said, placeholder.name)
        elif placeholder.format:
            _try_format(placeholder, world.today)
    except NebbetError as error:
        said = f"{title}: {error.what}"
        yield Finding("declaration", "stop", "placeholders", said, placeholder.name)


def _try_format(placeholder: Placeholder, today: date) -> None:
    """A format has to fit a date or a number; which of them, only the letter will know."""

    try:
        placeholders.show(today, "en_GB", placeholder.format)
    except NebbetError:
        if not set(placeholder.format) & set("0#"):  # no number pattern is without them
            raise
        placeholders.show(Decimal(1), "en_GB", placeholder.format)


def _texts(content: Content) -> Iterator[Finding]:
    for code, texts in content.texts.items():
        if not texts.subject.strip():
            yield Finding("subject", "doubt", "subject", f"The subject is empty ({code})")
        if not body.read(texts.body):
            yield Finding("body", "doubt", "body", f"The text is empty ({code})")


def _copies(content: Content) -> Iterator[Finding]:
    for part, name in (("cc", "Cc"), ("bcc", "Bcc"), ("reply_to", "Reply-To")):
        line = inline.parse(getattr(content.copies, part))
        text = inline.shown(line, blank=lambda _name: "somebody@host.example")
        for problem in addresses.read(text)[1]:
            said = f"“{problem.text}” in {name} is not a mail address: {problem.reason}"
            yield Finding("address", "stop", part, said, problem.text)

"""The checks of a template before it becomes an edition."""

import re
from collections.abc import Callable, Iterator
from datetime import date
from decimal import Decimal

from msgspec.structs import replace

from nebbet.core import addresses, body, dates, inline, placeholders, sums
from nebbet.core import letter as letters
from nebbet.core.checks.findings import Finding, Remedy, Severity
from nebbet.core.checks.frame_checks import check_frame
from nebbet.core.checks.prompts import prompts_in
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, older, renamed, slots, start
from nebbet.core.placeholders import Placeholder, Resolution, World, implied, modifiers, tried
from nebbet.core.records import fold
from nebbet.core.values import Money, Value

LONGEST_SUBJECT = 78  # RFC 5322 §2.1.1: a line should have no more


def check_content(
    content: Content,
    world: World,
    frame: body.Frame | None = None,
    expired: Callable[[str], date | None] = lambda _file: None,
) -> tuple[Finding, ...]:
    """Check every text of a template; stops first, then doubts.

    content has its passages in their places. world gives facts and fields, expired the last day on
    which a file was to go out, if that is past.
    """
    found = [
        *_names(content, world),
        *_modifiers(content),
        *_conditions(content, world),
        *_texts(content),
        *_languages(content),
        *_copies(content),
        *_enclosures(content, expired),
        *(check_frame(frame) if frame else ()),
    ]
    for placeholder in content.placeholders:
        found += _declaration(placeholder, content, world)
    return tuple(f for grade in ("stop", "doubt", "note") for f in found if f.severity == grade)


def _languages(content: Content) -> Iterator[Finding]:
    original = next(iter(content.texts))
    for code in older(content):
        name = placeholders.language_name
        said = f"The text in {name(code)} is older than the one in {name(original)}"
        yield Finding("language", "note", "body", said, code)


def mend_content(content: Content, remedy: Remedy) -> Content:
    """Mend a template by a finding's remedy."""
    if remedy.action == "rename":
        return renamed(content, remedy.on, remedy.to)
    texts = {
        code: replace(
            texts,
            subject=texts.subject.replace(remedy.on, remedy.to),
            body=texts.body.replace(remedy.on, remedy.to),
        )
        for code, texts in content.texts.items()
    }
    return replace(content, texts=texts)


def _slots(content: Content) -> Iterator[inline.Slot]:
    for code in content.texts:
        yield from slots(start("", content, language=code))


def _names(content: Content, world: World) -> Iterator[Finding]:
    used = {fold(slot.name): slot.name for slot in _slots(content)}
    for key, name in used.items():
        if not (key in _made(content) or _is_known(name, content)):
            yield _unknown(
                f"{{{{{name}}}}} is used but not declared", name, content, world, "doubt"
            )


def _made(content: Content) -> set[str]:
    """The names that a letter makes by itself, for the copies with a condition."""
    placed = start("", content).placeholders[len(content.placeholders) :]
    return {fold(placeholder.name) for placeholder in placed}


def _is_known(name: str, content: Content) -> bool:
    return implied(name) is not None or fold(name) in {fold(p.name) for p in content.placeholders}


def _unknown(said: str, name: str, content: Content, world: World, severity: Severity) -> Finding:
    close = placeholders.nearest(name, placeholders.known_names(content.placeholders, world))
    if close is None:
        return Finding("unknown", severity, "body", said, name)
    said += f"; did you mean {{{{{close}}}}}?"
    remedy = Remedy(f"Use {{{{{close}}}}}", "rename", name, close)
    return Finding("unknown", severity, "body", said, name, remedy)


def _modifiers(content: Content) -> Iterator[Finding]:
    for slot in {slot.inner: slot for slot in _slots(content)}.values():
        try:
            modifiers.read(slot.modifiers)
        except NebbetError as error:
            said = f"{{{{{slot.inner}}}}}: {error.sentence}"
            yield Finding("modifier", "stop", "body", said, slot.name)


def _conditions(content: Content, world: World) -> Iterator[Finding]:
    found = [when for texts in content.texts.values() for when in body.conditions(texts.blocks)]
    found += [enclosure.when for enclosure in content.enclosures if enclosure.when]
    found += [copy.when for copy in content.copies.conditional]
    for when in dict.fromkeys(found):
        yield from _sum(when, f"The condition “{when}”", when, content, world)
    lists = [each for texts in content.texts.values() for each in body.lists_of(texts.blocks)]
    for each in dict.fromkeys(lists):
        yield from _needs([each], "A repeated part", content, world)


def _sum(text: str, what: str, span: str, content: Content, world: World) -> Iterator[Finding]:
    """Whether a sum or condition can be read, and knows all its names."""
    try:
        names = sums.names(sums.read(text))
    except NebbetError as error:
        yield Finding("sum", "stop", "placeholders", f"{what}: {error.what}", span)
        return
    yield from _needs(names, what, content, world)


def _needs(names: list[str], what: str, content: Content, world: World) -> Iterator[Finding]:
    for name in names:
        if not _is_known(name, content):
            said = f"{what} needs “{name}”, which nothing declares"
            yield _unknown(said, name, content, world, "stop")


def _declaration(placeholder: Placeholder, content: Content, world: World) -> Iterator[Finding]:
    title = placeholder.title
    if placeholder.source != "blank" and not tried(placeholder):
        wanted = _WANTED.get(placeholder.source, f"which {placeholder.source} field it takes")
        said = f"{title} does not say {wanted}"
        yield Finding("declaration", "stop", "placeholders", said, placeholder.name)
        return
    if placeholder.source == "sum":
        yield from _sum(placeholder.of, title, placeholder.name, content, world)
    if placeholder.source == "first":
        yield from _needs(tried(placeholder), title, content, world)
    for said in _mistakes(placeholder, content, world):
        yield Finding("declaration", "stop", "placeholders", f"{title}: {said}", placeholder.name)


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
    note = resolution.particular(placeholder.name).note
    if note.startswith("a circle"):
        yield note
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


def _texts(content: Content) -> Iterator[Finding]:
    for code, texts in content.texts.items():
        if not texts.subject.strip():
            yield Finding("subject", "doubt", "subject", f"The subject is empty ({code})")
        if len(_as_example(texts.subject)) > LONGEST_SUBJECT:
            said = f"The subject is longer than {LONGEST_SUBJECT} signs ({code}): many cut it"
            yield Finding("subject", "doubt", "subject", said)
        found = texts.blocks
        yield from _pieces(found, code)
        yield from _whole(found, code)
        for part, lines in (("subject", (texts.subject,)), ("body", _plain(found))):
            where = "the subject" if part == "subject" else "the text"
            for prompt in (p for line in lines for p in prompts_in(line)):
                said = f"“{prompt}” in {where} looks like a prompt: make it a blank"
                yield Finding("leftover", "doubt", part, said, prompt)
            for typo in (typo for line in lines for typo in inline.typos(line)):
                remedy = Remedy(f"Use {typo.meant}", "mend braces", typo.text, typo.meant)
                mended = remedy if typo.meant else None
                yield Finding("braces", "stop", part, typo.sentence, typo.text, mended)


def _enclosures(content: Content, expired: Callable[[str], date | None]) -> Iterator[Finding]:
    for enclosure in content.enclosures:
        if day := expired(enclosure.file):
            said = f"The enclosure {enclosure.name} was valid until {day:%d %B %Y}"
            yield Finding("expired", "stop", "attachments", said, enclosure.name)


def _as_example(text: str) -> str:
    """A line with words of a likely length in the place of its placeholders."""
    return inline.shown(inline.parse(text), blank=lambda _name: "Marrowby")


def _whole(found: body.Body, code: str) -> Iterator[Finding]:
    """Whether there is something to read, in the formatted and in the plain part."""
    for name in body.passages_of(found):
        said = f"The passage “{name}” is not in the library ({code})"
        yield Finding("passage", "stop", "body", said, name)
    if not found:
        yield Finding("body", "doubt", "body", f"The text is empty ({code})")
        return
    words = "".join(inline.source(body.text_of(block)) for block in body.standing(found))
    if not words.strip() and body.files_of(found):
        said = f"The text is only in a picture ({code}): many cannot read that, or do not load it"
        yield Finding("picture", "doubt", "body", said)
    elif not body.render_plain(body.completed(found, lambda slot: slot.name)).strip():
        yield Finding("body", "doubt", "body", f"The plain text is empty ({code})")


def _pieces(found: body.Body, code: str) -> Iterator[Finding]:
    """Pictures and links that will not serve every reader."""
    for block in found:
        if isinstance(block, body.Markup) and (far := _far(inline.source(block.source))):
            said = f"The text loads {far} from elsewhere ({code}): many programs do not show that"
            yield Finding("picture", "doubt", "body", said)
        if isinstance(block, body.Button) and not _leads_somewhere(block.link):
            words = inline.source(body.text_of(block))
            said = f"The button “{words}” leads nowhere ({code})"
            yield Finding("link", "stop", "body", said, words)
    parts = [part for block in found for part in block.inlines]
    for part in parts:
        if isinstance(part, body.Picture) and not inline.source(part.alt).strip():
            said = f"A picture has no words for readers who cannot see it ({code})"
            yield Finding("picture", "doubt", "body", said)
        if (
            isinstance(part, body.Run | body.Picture)
            and part.link
            and not _leads_somewhere(part.link)
        ):
            address = inline.source(part.link)
            said = f"The link “{address}” leads nowhere ({code})"
            yield Finding("link", "stop", "body", said, address)


_FAR = re.compile(r"<img\b[^>]*\bsrc=[\"']?(?:https?:)?//", re.IGNORECASE)


def _far(markup: str) -> str:
    """How many pictures of finished HTML lie on somebody's server, in words."""
    count = len(_FAR.findall(markup))
    return f"{count} picture{'' if count == 1 else 's'}" if count else ""


def _leads_somewhere(link: inline.Line) -> bool:
    """Whether a link is a whole address once its placeholders are filled."""
    if not link:
        return False
    text = inline.shown(link, blank=lambda _name: "x.example")
    scheme, _, rest = text.partition(":")
    if scheme.casefold() in ("http", "https"):
        host = rest.removeprefix("//").partition("/")[0].partition("?")[0]
        return rest.startswith("//") and "." in host.strip(".") and " " not in host
    if scheme.casefold() == "mailto":
        return isinstance(addresses.one(rest.partition("?")[0]), addresses.Address)
    if scheme.casefold() == "tel":
        return any(sign.isdigit() for sign in rest)
    return isinstance(link[0], inline.Slot)


def _plain(found: body.Body) -> tuple[str, ...]:
    return tuple(inline.source(line) for line in body.lines_of(body.spoken(found)))


def _copies(content: Content) -> Iterator[Finding]:
    written = letters.ADDRESS_LINES
    lines = [(part, getattr(content.copies, part)) for part in written]
    lines += [(copy.part, copy.address) for copy in content.copies.conditional]
    for part, line in lines:
        text = inline.shown(inline.parse(line), blank=lambda _name: "somebody@host.example")
        for problem in addresses.read(text)[1]:
            said = f"“{problem.text}” in {written[part]} is not a mail address: {problem.reason}"
            yield Finding("address", "stop", part, said, problem.text)

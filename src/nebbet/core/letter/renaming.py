"""Giving a placeholder of a template another name, wherever it is used."""

from msgspec.structs import replace

from nebbet.core import body, dates, inline, sums
from nebbet.core.errors import NebbetError
from nebbet.core.letter.content import ADDRESS_LINES, Content, Copies, Texts
from nebbet.core.placeholders import Placeholder, tried
from nebbet.core.records import fold


def renamed(content: Content, old: str, new: str) -> Content:
    """Rename a placeholder in texts, copies, enclosures, conditions, sums, rules and the ledger.

    A sum or rule that cannot be read stays as it is.
    """
    return replace(
        content,
        texts={code: _texts(texts, old, new, content) for code, texts in content.texts.items()},
        placeholders=tuple(_declared(p, old, new) for p in content.placeholders),
        copies=_copies(content.copies, old, new),
        enclosures=tuple(
            replace(e, name=_text(e.name, old, new), when=_sum(e.when, old, new))
            for e in content.enclosures
        ),
    )


def _texts(texts: Texts, old: str, new: str, content: Content) -> Texts:
    """A renamed text; one that was as new as its original still is."""
    made = replace(
        texts, subject=_text(texts.subject, old, new), body=_body(texts, old, new), original=""
    )
    first = next(iter(content.texts.values()))
    if texts.original != first.fingerprint:
        return replace(made, original=texts.original)
    original = Texts(_text(first.subject, old, new), _body(first, old, new))
    return replace(made, original=original.fingerprint)


def _text(text: str, old: str, new: str) -> str:
    line = inline.parse(text)
    return inline.source(inline.renamed(line, lambda name: fold(name) == fold(old), new))


def _body(texts: Texts, old: str, new: str) -> str:
    """Names stand in the text of a body and in its attributes, both as they are written."""

    def renamed(line: inline.Line) -> inline.Line:
        return inline.renamed(line, lambda name: fold(name) == fold(old), new)

    if texts.finished:
        return body.markup_source(renamed(body.markup_line(texts.body)))
    blocks = body.each_line(body.read(texts.body), renamed)
    return body.write(
        tuple(
            replace(
                b, when=_sum(b.when, old, new), each=new if fold(b.each) == fold(old) else b.each
            )
            for b in blocks
        )
    )


def _copies(copies: Copies, old: str, new: str) -> Copies:
    conditional = (
        replace(c, address=_text(c.address, old, new), when=_sum(c.when, old, new))
        for c in copies.conditional
    )
    lines = {part: _text(getattr(copies, part), old, new) for part in ADDRESS_LINES}
    return Copies(**lines, conditional=tuple(conditional))


def _declared(placeholder: Placeholder, old: str, new: str) -> Placeholder:
    name = new if fold(placeholder.name) == fold(old) else placeholder.name
    of = placeholder.of
    match placeholder.source:
        case "sum":
            of = _sum(of, old, new)
        case "date":
            of = _rule(of, old, new)
        case "first":
            of = ", ".join(new if fold(n) == fold(old) else n for n in tried(placeholder))
    return replace(placeholder, name=name, of=of)


def _sum(text: str, old: str, new: str) -> str:
    try:
        part = sums.read(text)
    except NebbetError:
        return text
    if fold(old) not in map(fold, sums.names(part)):
        return text
    return sums.renamed(part, lambda name: fold(name) == fold(old), new)


def _rule(text: str, old: str, new: str) -> str:
    try:
        rule = dates.read(text)
    except NebbetError:
        return text
    if rule.base.kind != "name" or fold(rule.base.name) != fold(old):
        return text
    return dates.wording(replace(rule, base=replace(rule.base, name=new)))

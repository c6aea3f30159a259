"""Mending a letter, or a template, by the remedy of a finding."""

import re
from collections.abc import Sequence
from html import escape

from msgspec.structs import replace

from nebbet.core import addresses, body, inline
from nebbet.core import letter as letters
from nebbet.core.body import Body, Paragraph
from nebbet.core.checks.findings import Remedy
from nebbet.core.letter import Attachment, Content, Letter, renamed


def apply(letter: Letter, remedy: Remedy) -> Letter:
    """Mend a letter by a finding's remedy."""
    match remedy.action:
        case "answer":
            return letters.answer(letter, remedy.on, remedy.to)
        case "drop part":
            return letters.keep_part(letter, remedy.on, keep=False)
        case "mend braces":
            return letters.reworded(letter, remedy.on, remedy.to)
        case "rename":
            return letters.rename(letter, remedy.on, remedy.to)
        case "drop attachment":
            return replace(letter, attachments=_without_file(letter.attachments, remedy.on))
        case "drop copy":
            line = _without_address(getattr(letter, remedy.to), remedy.on)
            return replace(letter, **{remedy.to: line})
        case "address" if letter.recipient:
            return replace(letter, recipient=replace(letter.recipient, email=remedy.on))
        case "address":
            return letter
        case "sign":
            return replace(letter, body=_signed(letter.body, body.read(remedy.on)))


def _signed(text: Body, signature: Body) -> Body:
    """A text with a signature under it: before the words at its end that it quotes."""
    end = len(text)
    while end and text[end - 1].quote:
        end -= 1
    while end and isinstance(text[end - 1], Paragraph) and not text[end - 1].inlines:
        end -= 1
    return (*text[:end], *signature, *text[end:])


def _without_file(attachments: Sequence[Attachment], file: str) -> tuple[Attachment, ...]:
    """Attachments of which one stays behind; it can be put back."""
    return tuple(replace(a, out=True, when="") if a.file == file else a for a in attachments)


def _without_address(line: inline.Line, spec: str) -> inline.Line:
    """Take the last mention of an address out of a copies line; other slots stay slots."""
    entries = _split(line)
    for index in range(len(entries) - 1, -1, -1):
        found, _ = addresses.read(addresses.shown(entries[index]))
        if any(address.key == spec.casefold() for address in found):
            del entries[index]
            break
    return tuple(part for i, entry in enumerate(entries) for part in ((", ",) if i else ()) + entry)


def _split(line: inline.Line) -> list[inline.Line]:
    """Split a copies line at its commas and semicolons, slots kept whole."""
    entries: list[list[str | inline.Slot]] = [[]]
    for part in line:
        if not isinstance(part, str):
            entries[-1].append(part)
            continue
        first, *rest = re.split(r"[,;]", part)
        entries[-1].append(first.strip(" "))
        entries += [[piece.strip(" ")] for piece in rest]
    return [tuple(p for p in entry if p != "") for entry in entries if any(p != "" for p in entry)]


def mend_content(content: Content, remedy: Remedy) -> Content:
    """Mend a template by a finding's remedy."""
    if remedy.action == "rename":
        return renamed(content, remedy.on, remedy.to)
    on, to = (escape(text, quote=False) for text in (remedy.on, remedy.to))
    texts = {
        code: replace(
            texts,
            subject=texts.subject.replace(remedy.on, remedy.to),
            body=texts.body.replace(on, to),
        )
        for code, texts in content.texts.items()
    }
    enclosures = tuple(
        replace(enclosure, name=enclosure.name.replace(remedy.on, remedy.to))
        for enclosure in content.enclosures
    )
    return replace(content, texts=texts, enclosures=enclosures)

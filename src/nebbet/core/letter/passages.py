"""Passages: pieces of text that many templates include, mended once for all of them."""

import re
from collections.abc import Iterable, Iterator, Mapping
from html import unescape

from msgspec import Struct, field
from msgspec.structs import replace

from nebbet.core import body
from nebbet.core.body import Block, Body, Included
from nebbet.core.letter.content import Content, Texts, older, text_for
from nebbet.core.placeholders import Placeholder
from nebbet.core.records import fold

_MARK = re.compile(r'<div\b[^<>]*\bdata-passage="([^"]*)"')


class Passage(Struct, frozen=True, omit_defaults=True):
    """A shared piece of text. texts are by language, the original first, without subjects;
    placeholders are what it declares beside the fields that everybody knows."""

    id: str
    title: str
    texts: dict[str, Texts] = field(default_factory=lambda: {"en_GB": Texts()})
    placeholders: tuple[Placeholder, ...] = ()

    def blocks(self, language: str) -> Body:
        """Its text in a language, or in the nearest one that it has. A passage holds no other."""
        found = text_for(Content(self.texts), language)[1].blocks
        return tuple(block for block in found if not isinstance(block, Included))


def included(content: Content, passages: Mapping[str, Passage]) -> Content:
    """A template with its passages in their places, and with what these declare; the template's
    own declarations win. A passage that is not there keeps its place."""
    wanted = passages_in(content)
    if not wanted:
        return content
    texts = {
        code: replace(texts, body=body.write(in_their_places(texts.blocks, passages, code)))
        if _holds_passages(texts)
        else texts
        for code, texts in content.texts.items()
    }
    texts = _as_old(content, texts)
    declared = [passages[name].placeholders for name in wanted if name in passages]
    return replace(
        content,
        texts=texts,
        placeholders=merge_declared(content.placeholders, (p for held in declared for p in held)),
    )


def _as_old(content: Content, texts: dict[str, Texts]) -> dict[str, Texts]:
    """Texts with passages in them, each as old beside the original as it was without."""
    stale = older(content)
    now = next(iter(texts.values())).fingerprint
    return {
        code: replace(text, original=now) if text.original and code not in stale else text
        for code, text in texts.items()
    }


def passages_in(content: Content) -> list[str]:
    """The ids of the passages that a template includes in any language, once each."""
    # By their mark in the source: reading every text takes long in a large library.
    found = (texts.body for texts in content.texts.values() if _holds_passages(texts))
    names = (unescape(name) for held in found for name in _MARK.findall(held))
    return list(dict.fromkeys(names))


def _holds_passages(texts: Texts) -> bool:
    """Whether it is worth reading the text: most templates include nothing."""
    return not texts.finished and "data-passage" in texts.body


def in_their_places(blocks: Body, passages: Mapping[str, Passage], language: str) -> Body:
    """Blocks with the passages that they include in their places."""
    return body.tidy(made for block in blocks for made in _in_place(block, passages, language))


def _in_place(block: Block, passages: Mapping[str, Passage], language: str) -> Iterator[Block]:
    found = passages.get(block.passage) if isinstance(block, Included) else None
    if found is None:
        yield block
        return
    for piece in found.blocks(language):
        yield replace(
            piece,
            when=" and ".join(f"({w})" for w in (block.when, piece.when))
            if block.when and piece.when
            else block.when or piece.when,
            column=block.column or piece.column,
            each=block.each or piece.each,
            quote=block.quote or piece.quote,
        )


def merge_declared(
    first: Iterable[Placeholder], second: Iterable[Placeholder]
) -> tuple[Placeholder, ...]:
    """Both ledgers in one; where both declare a name, the first one's entry stays."""
    merged = {fold(p.name): p for p in second} | {fold(p.name): p for p in first}
    return tuple(merged.values())

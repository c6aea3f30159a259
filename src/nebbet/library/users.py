"""Who uses what: the templates that say a fact, include a passage, or stand in a frame."""

import msgspec

from nebbet.core.letter import Content, passages_in, uses
from nebbet.core.records import fold
from nebbet.library.catalogue import Catalogue
from nebbet.library.holdings import Template


def fact_users(catalogue: Catalogue, name: str) -> list[Template]:
    """The templates that say a fact, by its dotted name, in their ledger or in a passage."""
    passages = {
        passage.id
        for passage in catalogue.passages.values()
        if _says_fact(Content(passage.texts, passage.placeholders), name)
    }
    return [
        template
        for template in catalogue.templates.values()
        if _says_fact(template.content, name) or passages & {*passages_in(template.content)}
    ]


def _says_fact(content: Content, name: str) -> bool:
    # Reading every text takes long in a large library: most are told at a glance.
    if fold(name) not in fold(msgspec.json.encode(content).decode()):
        return False
    return fold(f"fact.{name}") in uses(content) or any(
        p.source == "fact" and fold(p.of) == fold(name) for p in content.placeholders
    )


def passage_users(catalogue: Catalogue, passage: str) -> list[Template]:
    """The templates that include a passage."""
    return [t for t in catalogue.templates.values() if passage in passages_in(t.content)]


def frame_users(catalogue: Catalogue, frame: str) -> list[Template]:
    """The templates that stand in a frame."""
    return [t for t in catalogue.templates.values() if t.content.frame == frame]

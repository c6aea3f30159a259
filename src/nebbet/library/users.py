"""Who uses what: the templates that say a fact, include a passage, or stand in a frame."""

from collections.abc import Iterable, Mapping

import msgspec
from msgspec import Struct, field

from nebbet.core.letter import Content, passages_in, uses
from nebbet.core.records import fold
from nebbet.library.catalogue import Catalogue


class Said(Struct, frozen=True):
    """What a content says of what is shared: facts by their folded names, passages and a frame by
    their ids."""

    facts: frozenset[str] = frozenset()
    passages: frozenset[str] = frozenset()
    frame: str = ""


class Users(Struct, frozen=True):
    """The templates, by their ids, that use each fact, passage and frame."""

    facts: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    passages: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    frames: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    said: Mapping[str, tuple[Content, Said]] = field(default_factory=dict)

    def of_fact(self, name: str) -> tuple[str, ...]:
        """The templates that say a fact, by its dotted name, themselves or in a passage."""
        return self.facts.get(fold(name), ())

    def of_passage(self, passage: str) -> tuple[str, ...]:
        """The templates that include a passage."""
        return self.passages.get(passage, ())

    def of_frame(self, frame: str) -> tuple[str, ...]:
        """The templates that stand in a frame."""
        return self.frames.get(frame, ())


def users_in(catalogue: Catalogue, known: Users | None = None) -> Users:
    """Who uses what in a library; a template that is as it was is not read again."""
    before = known.said if known else {}
    said: dict[str, tuple[Content, Said]] = {}
    for key, template in catalogue.templates.items():
        held = before.get(key)
        content = template.content
        said[key] = held if held and held[0] is content else (content, what_is_said(content))
    through = {
        key: what_is_said(Content(passage.texts, passage.placeholders)).facts
        for key, passage in catalogue.passages.items()
    }
    facts: dict[str, list[str]] = {}
    passages: dict[str, list[str]] = {}
    frames: dict[str, list[str]] = {}
    for key, (_content, one) in said.items():
        inside = (fact for passage in one.passages for fact in through.get(passage, ()))
        _add(facts, {*one.facts, *inside}, key)
        _add(passages, one.passages, key)
        _add(frames, [one.frame], key)
    return Users(_fixed(facts), _fixed(passages), _fixed(frames), said)


def what_is_said(content: Content) -> Said:
    """What a content says of what is shared."""
    declared = {fold(p.of) for p in content.placeholders if p.source == "fact"}
    # Reading every text takes long in a large library: most are told at a glance.
    if b"fact" in msgspec.json.encode(content).lower():
        written = (name for name in uses(content) if name.startswith("fact."))
        declared |= {name.removeprefix("fact.") for name in written}
    return Said(frozenset(declared), frozenset(passages_in(content)), content.frame)


def _add(found: dict[str, list[str]], names: Iterable[str], template: str) -> None:
    for name in names:
        found.setdefault(name, []).append(template)


def _fixed(found: dict[str, list[str]]) -> dict[str, tuple[str, ...]]:
    return {name: tuple(templates) for name, templates in found.items()}

"""The checks of a template's sums and conditions."""

from collections.abc import Iterator
from functools import partial

from nebbet.core import body, sums
from nebbet.core.checks.rules import Found
from nebbet.core.checks.subjects import TemplateToCheck
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content
from nebbet.core.placeholders import Placeholder, World, implied, tried
from nebbet.core.records import fold
from nebbet.core.sentences import said
from nebbet.core.values import from_json


def conditions(content: Content) -> list[str]:
    """Every condition in a template, once each."""
    found = [when for texts in content.texts.values() for when in body.conditions(texts.blocks)]
    found += [enclosure.when for enclosure in content.enclosures if enclosure.when]
    found += [copy.when for copy in content.copies.conditional]
    return list(dict.fromkeys(found))


def sum_rule(at: TemplateToCheck) -> Iterator[Found]:
    """Whether sums and conditions can be read, and worked out whatever the values are."""
    written = [
        (said("The condition “{condition}”", condition=when), when, when, True)
        for when in conditions(at.content)
    ]
    written += [
        (p.title, p.of, p.name, False)
        for p in at.content.placeholders
        if p.source == "sum" and tried(p)
    ]
    kind = partial(_kind_of, at.content, at.world, frozenset())
    for what, text, span, condition in written:
        try:
            problems = list(sums.mistakes(sums.read(text), kind, condition=condition))
        except NebbetError as error:
            problems = [error.what]
        for problem in problems:
            sentence = said("{what}: {problem}", what=what, problem=problem)
            yield Found("placeholders", sentence, span)


_KINDS = {"number": "number", "money": "money", "date": "date", "time": "time", "yes/no": "yes/no"}


def _kind_of(content: Content, world: World, path: frozenset[str], name: str) -> str:
    """What kind of value a name gives in every letter; empty where letters may differ."""
    key = fold(name)
    found = next((p for p in content.placeholders if fold(p.name) == key), None) or implied(name)
    if found is None or key in path:
        return ""
    match found.source:
        case "blank":
            return _KINDS.get(found.kind, "text")
        case "fact":
            return _kind_of_fact(found, world)
        case "sum":
            inner = partial(_kind_of, content, world, path | {key})
            try:
                return sums.kind_of_part(sums.read(found.of), inner)
            except NebbetError:
                return ""
        case "date":
            return "date"
    return ""


def _kind_of_fact(placeholder: Placeholder, world: World) -> str:
    key = fold(placeholder.of)
    fact = next((fact for name, fact in world.facts.items() if fold(name) == key), None)
    return sums.kind_word(from_json(fact.value)) if fact else ""

"""The checks of a template's names: what nothing declares, and how values are written."""

from collections.abc import Iterator
from decimal import Decimal

from nebbet.core import body, inline, placeholders
from nebbet.core.checks.findings import Remedy, mend_braces
from nebbet.core.checks.rules import Found
from nebbet.core.checks.subjects import TemplateToCheck
from nebbet.core.checks.sum_rules import conditions
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, names_in, slots, start
from nebbet.core.placeholders import implied, modifiers, tried
from nebbet.core.records import fold
from nebbet.core.sentences import said


def _slots(content: Content) -> Iterator[inline.Slot]:
    for code in content.texts:
        yield from slots(start("", content, language=code))


def _made(content: Content) -> set[str]:
    """The names that a letter makes by itself, for the copies with a condition."""
    placed = start("", content).placeholders[len(content.placeholders) :]
    return {fold(placeholder.name) for placeholder in placed}


def is_known(name: str, content: Content) -> bool:
    """Whether a name is declared, or says by itself where its value comes from."""
    return implied(name) is not None or fold(name) in {fold(p.name) for p in content.placeholders}


def undeclared_rule(at: TemplateToCheck) -> Iterator[Found]:
    """Names that a text uses and nothing declares."""
    made = _made(at.content)
    for key, name in {fold(slot.name): slot.name for slot in _slots(at.content)}.items():
        if key not in made and not is_known(name, at.content):
            close = _close(name, at)
            sentence = said("{name} is used but not declared", name=inline.in_braces(name))
            if close:
                sentence = said(
                    "{name} is used but not declared; did you mean {close}?",
                    name=inline.in_braces(name),
                    close=inline.in_braces(close),
                )
            yield _unknown(sentence, name, close)


def needed_rule(at: TemplateToCheck) -> Iterator[Found]:
    """Names that sums, conditions and repeated parts need."""
    for what, names in _needs(at.content):
        for name in names:
            if is_known(name, at.content):
                continue
            close = _close(name, at)
            sentence = said("{what} needs “{name}”, which nothing declares", what=what, name=name)
            if close:
                sentence = said(
                    "{what} needs “{name}”, which nothing declares; did you mean {close}?",
                    what=what,
                    name=name,
                    close=inline.in_braces(close),
                )
            yield _unknown(sentence, name, close)


def _close(name: str, at: TemplateToCheck) -> str:
    """The name that is most likely meant; empty for none."""
    known = placeholders.known_names(at.content.placeholders, at.world)
    return placeholders.nearest(name, known) or ""


def _unknown(sentence: str, name: str, close: str) -> Found:
    if not close:
        return Found("body", sentence, name)
    words = said("Use {text}", text=inline.in_braces(close))
    return Found("body", sentence, name, Remedy(words, "rename", name, close))


def _needs(content: Content) -> Iterator[tuple[str, list[str]]]:
    """What needs names, in words, with the names; what cannot be read needs none."""
    for when in conditions(content):
        yield said("The condition “{condition}”", condition=when), names_in(when)
    lists = [each for texts in content.texts.values() for each in body.lists_of(texts.blocks)]
    for each in dict.fromkeys(lists):
        yield said("A repeated part"), [each]
    for placeholder in content.placeholders:
        if placeholder.source == "sum" and tried(placeholder):
            yield placeholder.title, names_in(placeholder.of)
        if placeholder.source == "first":
            yield placeholder.title, list(tried(placeholder))


def facts_rule(at: TemplateToCheck) -> Iterator[Found]:
    """Facts that the library does not have; nothing is told where none are at hand."""
    known = {fold(name) for name in at.world.facts}
    used = {name: implied(name) for name in _all_names(at.content)}
    used |= {p.name: p for p in at.content.placeholders}
    for name, placeholder in used.items() if known else ():
        if placeholder is None or placeholder.source != "fact" or not placeholder.of.strip():
            continue
        if fold(placeholder.of) in known:
            continue
        close = placeholders.nearest(placeholder.of, at.world.facts) or ""
        sentence = said("The library has no fact “{name}”", name=placeholder.of)
        if close:
            sentence = said(
                "The library has no fact “{name}”; did you mean “{close}”?",
                name=placeholder.of,
                close=close,
            )
        is_dotted = implied(name) is not None
        yield _unknown(sentence, name, f"fact.{close}" if close and is_dotted else "")


def _all_names(content: Content) -> Iterator[str]:
    """Every name in the texts, sums and conditions of a template."""
    yield from dict.fromkeys(slot.name for slot in _slots(content))
    for _, names in _needs(content):
        yield from names


def modifiers_rule(at: TemplateToCheck) -> Iterator[Found]:
    """Modifiers that are none, and plural forms that a text's language does not have so many of."""
    for code in at.content.texts:
        found = slots(start("", at.content, language=code))
        for slot in {slot.inner: slot for slot in found}.values():
            try:
                asked = modifiers.read(slot.modifiers)
                if asked.forms:
                    modifiers.plural(Decimal(1), asked.forms, code)
            except NebbetError as error:
                sentence = said(
                    "{what}: {problem}", what=inline.in_braces(slot.inner), problem=error.sentence
                )
                yield Found("body", sentence, slot.name, language=code)


def enclosure_names_rule(at: TemplateToCheck) -> Iterator[Found]:
    """Braces that are mistyped in the name of an enclosure."""
    for enclosure in at.content.enclosures:
        for typo in inline.typos(enclosure.name):
            sentence = said(
                "In the name of an enclosure, {problem}",
                problem=typo.sentence,
            )
            yield Found("attachments", sentence, typo.text, mend_braces(typo))

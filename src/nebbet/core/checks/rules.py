"""Rules: what is looked for, how grave it is, and the function that finds it.

A new check is one function and one row in the list of its subject: LETTER_RULES, TEMPLATE_RULES or
FRAME_RULES.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Generic, Literal, TypeVar

from msgspec import Struct
from msgspec.structs import replace

from nebbet.core.checks.findings import Finding, Remedy, Severity

S = TypeVar("S")
Grade = Literal["stop", "doubt", "note", "off"]
_GRADES: tuple[Severity, ...] = ("stop", "doubt", "note")


class Found(Struct, frozen=True):
    """What a rule found: where to look, one sentence, the words in question, what mends it.
    severity is another than the rule's where this case is graver, or less so; language is that of
    the text in which it was found, where a template has several."""

    part: str
    sentence: str
    span: str = ""
    remedy: Remedy | None = None
    severity: Severity | None = None
    language: str = ""


class Rule(Struct, Generic[S], frozen=True):
    """One check of one kind of subject. A lead may know it by its id."""

    id: str
    severity: Severity
    find: Callable[[S], Iterator[Found]]


def graded(rules: Iterable[Rule[S]], grades: Mapping[str, Grade]) -> list[Rule[S]]:
    """Rules with the grades that a lead has given to some; those that are off are left out."""
    found = []
    for rule in rules:
        grade = grades.get(rule.id, rule.severity)
        if grade != "off":
            found.append(rule if grade == rule.severity else replace(rule, severity=grade))
    return found


def run(rules: Iterable[Rule[S]], subject: S) -> tuple[Finding, ...]:
    """What the rules find in a subject: stops come first, then doubts, then notes; among equals, in
    the order of the rules."""
    made = [
        Finding(
            rule.id,
            found.severity or rule.severity,
            found.part,
            found.sentence,
            found.span,
            found.remedy,
            found.language,
        )
        for rule in rules
        for found in rule.find(subject)
    ]
    return tuple(f for grade in _GRADES for f in made if f.severity == grade)

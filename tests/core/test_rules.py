"""Rules: one list for each subject, each rule by itself."""

from collections.abc import Iterator

from nebbet.core.checks import FRAME_RULES, LETTER_RULES, TEMPLATE_RULES, Found, Rule, run


def long_ones(text: str) -> Iterator[Found]:
    """A rule as somebody might add it: one function, one row."""
    for word in text.split():
        if len(word) > 5:
            severity = "stop" if len(word) > 10 else None
            yield Found("body", f"“{word}” is long", word, severity=severity)  # type: ignore[arg-type]


RULES = (
    Rule("short", "note", lambda text: iter([Found("body", "Short")] if len(text) < 99 else [])),
    Rule("long", "doubt", long_ones),
)


def test_what_rules_find_comes_with_their_name_and_grade_the_gravest_first() -> None:
    found = run(RULES, "some words, unforeseeable, longer")
    assert [(f.rule, f.severity, f.span) for f in found] == [
        ("long", "stop", "unforeseeable,"),
        ("long", "doubt", "words,"),
        ("long", "doubt", "longer"),
        ("short", "note", ""),
    ]
    assert found[0].key == "long\nbody\nunforeseeable,"


def test_every_rule_has_a_name_of_its_own() -> None:
    for rules in (LETTER_RULES, TEMPLATE_RULES, FRAME_RULES):
        names = [rule.id for rule in rules]  # type: ignore[attr-defined]
        assert len(names) == len(set(names))
        assert all(name.isidentifier() for name in names)

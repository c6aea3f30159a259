"""What a person is likely to go on with. Common practice, no source."""

from datetime import UTC, datetime, timedelta

from nebbet.core.letter import Content
from nebbet.library import recent
from nebbet.library.catalogue import Catalogue
from nebbet.library.entries import Registered
from nebbet.library.holdings import Template, Usage
from nebbet.library.listing import listing_of

NOON = datetime(2026, 11, 25, 12, tzinfo=UTC)


def went(number: int, to: str, sender: str = "me") -> Registered:
    return Registered(f"<{number}@x>", NOON - timedelta(hours=number), sender, to)


ENTRIES = [went(1, "ana@x.example"), went(2, "bo@x.example", "other"), went(3, "cy@x.example"),
           went(4, "ana@x.example"), went(5, "di@x.example")]  # fmt: skip


def test_people_come_once_with_the_last_letter_to_them() -> None:
    found = recent.written_to(ENTRIES, "me")
    assert [e.message_id for e in found] == ["<1@x>", "<3@x>", "<5@x>"]
    assert len(recent.written_to(ENTRIES, "me", most=2)) == 2
    assert recent.written_to(ENTRIES, "nobody") == []


def test_only_one_s_own_letters_went_last() -> None:
    found = recent.sent_last(ENTRIES, "me", most=3)
    assert [e.message_id for e in found] == ["<1@x>", "<3@x>", "<4@x>"]


def test_the_most_used_templates_are_those_in_use() -> None:
    templates = {
        key: Template(key, "shelf", title, state, False, edition, Content())
        for key, title, state, edition in (
            ("a", "Often", "in use", 2), ("b", "Sometimes", "in use", 1),
            ("c", "Retired", "retired", 1), ("d", "Never", "in use", 1),
            ("e", "As often", "in use", 1),
        )
    }  # fmt: skip
    usage = {
        "a": Usage(NOON, (1, 4)), "b": Usage(NOON, (1, 0)), "c": Usage(NOON, (9, 9)),
        "e": Usage(NOON, (5, 0)),
    }  # fmt: skip
    catalogue = Catalogue(templates=templates, usage=usage)
    assert recent.most_used(listing_of(catalogue)) == ["e", "a", "b"]

"""Finding by a few letters."""

import pytest

from nebbet.core.ranking import Entry, find

ENTRIES = [
    Entry("refund", ("Refund agreed", "Your refund for booking", "Refunds", "you get back money")),
    Entry("moved", ("Sailing leaves at another time", "New departure", "Sailings", "refund")),
    Entry("zoe", ("Zoë Ångström", "zoe@host.example", "Ferries")),
]


@pytest.mark.parametrize(
    ("words", "keys"),
    [
        ("refund", ["refund", "moved"]),
        ("REF AGR", ["refund"]),
        ("angstrom zo", ["zoe"]),
        ("Ångström", ["zoe"]),
        ("fund", ["refund", "moved"]),
        ("und", []),
        ("refund nothing", []),
        ("", ["refund", "moved", "zoe"]),
        ("  !?  ", ["refund", "moved", "zoe"]),
        ("host", ["zoe"]),
    ],
)
def test_every_typed_word_is_met(words: str, keys: list[str]) -> None:
    assert find(words, ENTRIES) == keys


def test_whole_words_go_before_beginnings_and_order_breaks_ties() -> None:
    entries = [Entry("a", ("ports",)), Entry("b", ("port",)), Entry("c", ("port",))]
    assert find("port", entries) == ["b", "c", "a"]

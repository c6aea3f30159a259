"""The index that finds while somebody types."""

import random

import pytest

from nebbet.core.characters import folded
from nebbet.core.ranking import Entry, excerpt, find, matched
from nebbet.core.ranking.index import Index
from nebbet.core.ranking.words import allowed_mistakes

# Misspellings that people make, from Wikipedia's list of common misspellings, as remembered: no
# copy of it is at hand here. Each is one or two mistakes away from its word.
MISSPELT = {
    "accomodation": "accommodation",
    "adress": "address",
    "anual": "annual",
    "calender": "calendar",
    "cancelation": "cancellation",
    "comittee": "committee",
    "concious": "conscious",
    "definately": "definitely",
    "enviroment": "environment",
    "existance": "existence",
    "garantee": "guarantee",
    "harrassment": "harassment",
    "insurence": "insurance",
    "liason": "liaison",
    "neccessary": "necessary",
    "occurence": "occurrence",
    "passanger": "passenger",
    "recieve": "receive",
    "refernce": "reference",
    "reservaton": "reservation",
    "seperate": "separate",
    "teh ferry": "the ferry",
    "tommorow": "tomorrow",
    "vehical": "vehicle",
}


@pytest.mark.parametrize(("typed", "meant"), MISSPELT.items())
def test_words_that_people_misspell_are_found(typed: str, meant: str) -> None:
    others = [Entry(word, (f"{word} form",)) for word in MISSPELT.values() if word != meant]
    found = find(typed, [*others, Entry("meant", (f"our {meant} note",))])
    if typed == "teh ferry":
        assert found == [], "short words are taken as typed: too many others are near"
    else:
        assert found[0] == "meant"


def test_a_word_still_being_typed_may_have_a_mistake_in_it() -> None:
    assert find("confrima", [Entry("a", ("Confirmation sent again",))]) == ["a"]
    assert find("sent confrima", [Entry("a", ("Confirmation sent again",))]) == ["a"]
    assert find("confrima sent", [Entry("a", ("Confirmation sent again",))]) == []


def test_what_is_typed_right_goes_before_what_is_near() -> None:
    entries = [Entry("near", ("refunds agreed",)), Entry("right", ("the rest", "", "", "refund"))]
    assert find("refunt", entries) == ["near", "right"]
    assert find("refund", entries) == ["near", "right"], "a title counts more than a text"
    same = [Entry("near", ("refuns",)), Entry("right", ("refund",))]
    assert find("refund", same) == ["right", "near"]


def test_numbers_are_never_forgiven() -> None:
    assert find("48211", [Entry("a", ("48212",)), Entry("b", ("48211",))]) == ["b"]
    assert [allowed_mistakes(word) for word in ("four", "fives", "12345", "ls48211")] == [
        0,
        1,
        0,
        0,
    ]


@pytest.mark.parametrize(
    ("typed", "text"),
    [
        ("erstattung", "Rückerstattung des Fahrpreises"),
        ("RUCKERSTATTUNG", "Rückerstattung des Fahrpreises"),
        ("strasse", "Straße"),
        ("avgang", "Avgangen er innstilt"),
        ("gjore", "gjøre"),
        ("zolta lodz", "żółta łódź"),
        ("remboursement", "Votre remboursement pour la réservation"),
        ("reservation", "Votre remboursement pour la re\u0301servation"),
    ],
)
def test_other_languages_are_found_without_their_accents(typed: str, text: str) -> None:
    assert find(typed, [Entry("a", ("", "", "", "", text))]) == ["a"]


def test_standing_decides_between_what_fits_alike() -> None:
    entries = [Entry(key, ("Refund agreed",)) for key in "abc"]
    index = Index(entries, {"b": 5.0, "c": 1.0})
    assert index.find("refund") == ["b", "c", "a"]
    assert index.ranked({"a": 1.0}).find("refund") == ["a", "b", "c"]
    better = Index([*entries, Entry("d", ("Refund",))], {"b": 5.0})
    assert better.find("") == ["b", "a", "c", "d"]


def test_a_changed_index_finds_as_a_new_one() -> None:
    chance = random.Random(7)
    words = ["refund", "sailing", "harbour", "crew", "deck", "cabin", "ticket", "ferry", "tide"]

    def entry(number: int) -> Entry:
        return Entry(f"k{number}", (" ".join(chance.choices(words, k=3)), "", "", "", "text"))

    held = {f"k{number}": entry(number) for number in range(40)}
    index = Index(held.values())
    for _ in range(30):
        changed = entry(chance.randrange(60))
        held[changed.key] = changed
        gone = chance.choice(sorted(held))
        del held[gone]
        index = index.changed([changed] if gone != changed.key else [], [gone])
        for typed in (*words, "refnud", "sail tid", ""):
            assert set(index.find(typed)) == set(find(typed, held.values())), typed
    assert len(index) == len(held) and index.patched


def test_where_words_are_met() -> None:
    assert matched("prop", "Lost property") == [(5, 9)]
    assert matched("strasse", "Die Straße") == [(4, 10)], (
        "what is written otherwise is marked whole"
    )
    assert matched("erstatt", "Rückerstattung") == [(4, 11)]
    assert matched("", "Lost property") == [] == matched("zebra", "Lost property")


def test_an_excerpt_shows_the_first_match() -> None:
    text = "word " * 40 + "at the harbour " + "more " * 40
    shown, spans = excerpt("harbor", text, 60)
    assert len(shown) < 70 and shown.startswith("… ") and shown.endswith(" …")
    assert [shown[start:end] for start, end in spans] == ["harbour"]
    assert excerpt("zebra", text) == ("", [])


def test_nothing_and_huge_and_strange_input() -> None:
    assert Index([]).find("word") == [] == Index([]).find("")
    long = "x" * 300
    pasted = "refund " + " ".join(f"word{n}" for n in range(100_000))
    assert find(pasted, [Entry("a", ("refund word1",))]) == []
    assert find(long, [Entry("a", (long,)), Entry("b", ("y",))]) == ["a"]
    assert find("a\x00b \ud800", [Entry("a", ("a\x00b",))]) == ["a"]
    assert folded("ﬁne İstanbul") == "fine istanbul"

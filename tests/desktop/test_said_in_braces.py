"""A placeholder that says what it is where it is typed. Common practice, no source."""

import pytest

from nebbet.core.placeholders import Placeholder, declared_in
from tests.desktop.conftest import Hand
from tests.desktop.doing import edit


def declared(hand: Hand) -> dict[str, Placeholder]:
    return {one.name: one for one in hand.window.library.editor.ledger.placeholders}


def test_braces_declare_what_is_typed_in_them(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    page.body.setFocus()
    hand.press("Ctrl+End", "Return")
    hand.type("We send {{cabin: inside / outside")
    assert page.body.braces.list.currentItem().text() == "New choice “cabin”: inside, outside"
    hand.press("Return")
    hand.type(" until {{held until = today + 10 working days")
    hand.press("Return")
    hand.type(" for {{price: money}} and {{both = price * 2}}.")
    made = declared(hand)
    assert made["cabin"].choices == ("inside", "outside") and made["cabin"].kind == "choice"
    assert made["held until"].source == "date" and made["price"].kind == "money"
    assert made["both"].source == "sum" and made["both"].of == "price * 2"
    assert page.body.written().endswith(
        "We send {{cabin}} until {{held until}} for {{price}} and {{both}}."
    )


@pytest.mark.parametrize(
    "words",
    [
        "a name",
        "one: ",
        "one: two",
        ": a / b",
        "= 3",
        "case.fare = 3",
        "x = no such day +",
        "a: b|c",
    ],
)
def test_what_makes_no_sense_declares_nothing(words: str) -> None:
    found = declared_in(words)
    assert found is None


def test_choices_are_there_once_each() -> None:
    found = declared_in("size : a / b / a /")
    assert found == Placeholder("size", kind="choice", choices=("a", "b"))
    assert declared_in("sure: yes/no") == Placeholder("sure", kind="yes/no")

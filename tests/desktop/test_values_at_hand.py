"""What is known for a letter, put in while it is written."""

from PySide6.QtCore import Qt

from nebbet.core import inline
from tests.desktop.conftest import Hand
from tests.desktop.doing import open_letter, paper, take


def at_the_end(hand: Hand) -> None:
    body = hand.window.letters.paper.body
    body.setFocus(Qt.FocusReason.OtherFocusReason)
    hand.press("Ctrl+End")


def test_a_field_of_the_case_is_put_in_and_follows_the_case(hand: Hand) -> None:
    take(hand, "refund agreed", "LS-48261")
    body = hand.window.letters.paper.body
    at_the_end(hand)
    hand.press("Return")
    hand.type("You were to sail at {{sail")
    assert body.braces
    offered = body.braces.list
    assert offered.isVisible() and offered.key == "case.sailing"
    hand.press("Return", ".")
    case = open_letter(hand).case
    assert case is not None
    slots = [slot.name for line in open_letter(hand).body for slot in inline.slots(
        tuple(getattr(part, "content", "") for part in line.inlines))]  # fmt: skip
    assert slots[-1] == "case.sailing"
    last = paper(hand).splitlines()[-1]
    assert last.startswith("You were to sail at ") and last.endswith(".") and "{" not in last
    # The paper and the particulars say the same.
    assert hand.window.letters.particulars.rows["case.sailing"]
    hand.press("Ctrl+Z", "Ctrl+Z")
    assert "case.sailing" not in hand.window.letters.particulars.rows


def test_one_key_opens_the_list_and_esc_leaves_it(hand: Hand) -> None:
    take(hand, "refund agreed", "LS-48261")
    body = hand.window.letters.paper.body
    at_the_end(hand)
    before = paper(hand)
    hand.press("Ctrl+D")
    assert body.braces and body.braces.list.isVisible()
    assert body.braces.list.key == "case.number" and body.braces.list.count() > 20
    hand.press("Esc")
    assert not body.braces.list.isVisible() and hand.window.letters.isVisible()
    assert paper(hand) == before, "what the key put in is gone again"
    hand.press("Ctrl+D")
    hand.type("no such thing at all")
    assert not body.braces.list.isVisible()


def test_braces_typed_to_their_end_become_a_value_only_where_it_is_known(hand: Hand) -> None:
    take(hand, "refund agreed", "LS-48261")
    at_the_end(hand)
    hand.type(" Your number is {{case.number}} or {{case.nonsense}}")
    assert paper(hand).endswith(" Your number is LS-48261 or {{case.nonsense}}")


def test_a_value_goes_into_the_subject(hand: Hand) -> None:
    take(hand, "refund agreed", "LS-48261")
    subject = hand.window.letters.paper.lines["subject"]
    subject.setFocus(Qt.FocusReason.OtherFocusReason)
    hand.press("Ctrl+End", "Ctrl+D")
    hand.type("recipient last")
    hand.press("Tab")
    name = open_letter(hand).recipient
    assert name is not None
    assert inline.shown(open_letter(hand).subject).endswith(name.last_name)

"""Letters that are offered when a case changes: a lead ties them, whoever has the case says yes."""

import pytest
from msgspec.structs import replace

from nebbet.core.records.kinds import STATE, Prompt
from nebbet.desktop.letters.page import LettersPage
from nebbet.library.people_writing import Changed
from nebbet.library.prompts import offers
from tests.desktop.conftest import Hand
from tests.desktop.doing import choose

NUMBER = "LS-48260"


@pytest.fixture
def letters(hand: Hand) -> LettersPage:
    return hand.window.letters


def settle_case(hand: Hand, state: str = "settled") -> None:
    """A colleague, or another program, changes the case."""
    library = hand.session.shared.library
    matter = library.people.numbered(NUMBER)
    assert matter
    library.change_people([Changed(matter.case, replace(matter.case, state=state))])
    hand.session.shared.refresh()


def tie(hand: Hand) -> None:
    """By keys, on the page for kinds of case."""
    hand.press("Alt+2", "Ctrl+Alt+K")
    kinds = hand.window.people.kinds
    row = next(n for n in range(kinds.list.count()) if kinds.list.item(n).text() == "refund")
    kinds.list.setCurrentRow(row)
    hand.until(
        lambda: kinds.unsaved.key == "refund" and kinds.form.prompts.rows[0].value.isVisible()
    )
    first = kinds.form.prompts.rows[0]
    choose(hand, first.field, "its state")
    first.value.setFocus()
    hand.type("settled")
    first.template.setFocus()
    hand.type("refund agreed")
    hand.press("Return", "Ctrl+S")
    hand.until(lambda: hand.session.shared.catalogue.kinds["refund"].prompts)
    assert hand.session.shared.catalogue.kinds["refund"].prompts == (
        Prompt(STATE, "settled", "refund-agreed"),
    )
    assert kinds.form.prompts.rows[0].template.text().startswith("Refund")
    hand.press("Esc")


def test_a_change_offers_a_letter_that_waits_for_a_yes(hand: Hand, letters: LettersPage) -> None:
    tie(hand)
    settle_case(hand)
    hand.until(lambda: hand.session.offered.held)
    hand.press("Alt+1")
    before = len(hand.session.letters.held)
    hand.click_row(letters.pile.list, "")
    row = next(n for n in range(letters.pile.list.count())
               if NUMBER in str(letters.pile.list.item(n).data(257)))  # fmt: skip
    letters.pile.list.setCurrentRow(row)
    hand.until(letters.offer.isVisible)
    assert NUMBER in letters.offer.title.text() and "settled" in letters.offer.words.text()
    assert len(hand.session.letters.held) == before, "looking at it begins nothing"
    hand.click(letters.offer.yes)
    hand.until(lambda: letters.model.letter and letters.model.letter.case)
    letter = letters.model.letter
    assert letter and letter.case and letter.case.number == NUMBER
    assert letter.template == "refund-agreed" and letter.recipient and letter.recipient.email
    assert not hand.session.offered.held and not hand.mailbox(), "nothing goes by itself"


def test_what_is_not_needed_is_not_offered_again(hand: Hand, letters: LettersPage) -> None:
    tie(hand)
    settle_case(hand, "Settled")
    hand.until(lambda: hand.session.offered.held)
    (key,) = hand.session.offered.held
    hand.press("Alt+1")
    letters.open_key(f"offer:{key}")
    hand.click(letters.offer.no)
    hand.until(lambda: not hand.session.offered.held)
    settle_case(hand, "settled")
    library, members = hand.session.shared.library, hand.session.shared.catalogue.members
    me = members["benedek.roy"]
    assert not offers(library.engine, library.people, me, members.values()), "it was so before"
    settle_case(hand, "open")
    settle_case(hand, "settled")
    (again,) = offers(library.engine, library.people, me, members.values())
    assert again.template == "refund-agreed"


def test_it_is_offered_to_whoever_has_the_case(hand: Hand) -> None:
    tie(hand)
    settle_case(hand)
    library, members = hand.session.shared.library, hand.session.shared.catalogue.members
    matter = library.people.numbered(NUMBER)
    assert matter
    lead, me = members["ottilie.marsh"], members["benedek.roy"]
    fields = {**matter.case.fields, "handled_by": "Ottilie Marsh"}
    library.change_people([Changed(matter.case, replace(matter.case, fields=fields))])
    assert not offers(library.engine, library.people, me, members.values())
    assert len(offers(library.engine, library.people, lead, members.values())) == 1
    gone = [replace(lead, left=True), me]
    assert len(offers(library.engine, library.people, me, gone)) == 1, "who left has nothing"


def test_only_the_first_yes_counts(hand: Hand, letters: LettersPage) -> None:
    tie(hand)
    settle_case(hand)
    hand.until(lambda: hand.session.offered.held)
    (offer,) = hand.session.offered.held.values()
    hand.session.shared.library.answer_offer(offer.id, "written", "ottilie.marsh")
    hand.press("Alt+1")
    letters.open_key(f"offer:{offer.id}")
    hand.click(letters.offer.yes)
    hand.until(lambda: "A colleague was quicker" in hand.said)
    assert letters.model.letter is None

"""Where a letter begins, and whom it is for: a link, a person without an address, somebody not on
file, two at once."""

from contextlib import closing
from datetime import timedelta
from pathlib import Path

import pytest
from msgspec.structs import replace

from nebbet.cli.doorway import Wanted
from nebbet.cli.window import take_up
from nebbet.core.message.links import read_mailto
from nebbet.core.records import Case, Contact, Person
from nebbet.desktop.kit.picker import KEY
from nebbet.desktop.letters.page import LettersPage
from nebbet.desktop.session.file_texts import pdf_text
from nebbet.library.entries import Registered
from nebbet.library.people_writing import Changed
from nebbet.library.store import open_library
from nebbet.personal.home import Home
from nebbet.personal.settings import read_settings
from tests.desktop.conftest import Hand
from tests.desktop.doing import take


@pytest.fixture
def letters(hand: Hand) -> LettersPage:
    return hand.window.letters


def test_a_link_prepares_a_letter_to_somebody_on_file(hand: Hand, letters: LettersPage) -> None:
    link = (
        "mailto:hanna.verrell@mailbox.example,bo@x.example?subject=Your%20trip%20{{x}}"
        "&cc=c@x.example&body=one%0D%0Atwo%20%3Cb%3E&from=boss@x.example"
    )
    (hanna,) = hand.session.shared.library.people.find_people("verrell")
    link = link.replace("hanna.verrell@mailbox.example", hanna.contact.email)
    take_up(hand.window, Wanted(prepared=read_mailto(link)))
    hand.settle()
    letter = letters.model.letter
    assert letter and letter.recipient == hanna.contact
    assert "may not set from" in hand.said
    assert letters.paper.body.toPlainText() == "one\ntwo <b>"
    assert "bo@x.example" in letters.paper.lines["to"].toPlainText()
    assert "c@x.example" in letters.paper.lines["cc"].toPlainText()
    assert "{{x}}" in letters.paper.lines["subject"].toPlainText(), "nothing of it is filled in"


def test_the_command_line_begins_a_letter(hand: Hand, letters: LettersPage) -> None:
    take_up(hand.window, Wanted("refund agreed", case="LS-48260"))
    hand.settle()
    letter = letters.model.letter
    assert letter and letter.case and letter.case.number == "LS-48260" and letter.recipient
    assert letter.template == "refund-agreed"
    take_up(hand.window, Wanted(to="new@x.example"))
    hand.settle()
    letter = letters.model.letter
    assert letter and letter.recipient and letter.recipient.email == "new@x.example"
    assert letters.pull_box.isVisible()


def test_templates_for_the_kind_of_case_come_first(hand: Hand, letters: LettersPage) -> None:
    matter = hand.session.shared.library.people.numbered("LS-48260")
    assert matter
    letters.begin.write_to(None, matter)
    first = letters.pull_box.list.key
    template = hand.session.shared.catalogue.templates[first]
    assert matter.case.kind in template.content.kinds


def test_then_come_templates_that_letters_about_the_kind_were_written_with(
    hand: Hand, letters: LettersPage
) -> None:
    shared = hand.session.shared
    matter = shared.library.people.numbered("LS-48260")
    assert matter
    kind = matter.case.kind
    templates = shared.catalogue.templates
    others = [key for key, one in templates.items()
              if one.content.kinds and kind not in one.content.kinds and one.edition]  # fmt: skip
    mine, theirs = others[-1], others[-2]
    member = next(key for key in shared.catalogue.members if key != shared.my_id)
    went = [(theirs, member), (theirs, member), (mine, shared.my_id)]
    shared.library.record(
        [
            Registered(f"<{n}@x>", shared.now() - timedelta(days=n), sender, "a@x.example",
                       case_number="LS-48260", template=template)
            for n, (template, sender) in enumerate(went, 1)
        ]
    )  # fmt: skip
    letters.begin.write_to(None, matter)
    hand.until(lambda: letters._used.for_kind(kind))
    shown = letters.pull_box.list
    keys = [shown.item(row).data(KEY) for row in range(shown.count())]
    suited = [key for key in keys if kind in templates[key].content.kinds]
    assert keys[: len(suited)] == suited
    assert keys[len(suited) : len(suited) + 2] == [mine, theirs]
    assert shown.currentRow() == 0
    hand.type("refund")
    assert letters.pull_box.list.key in suited


def test_somebody_not_on_file_is_offered_to_be_kept_once(hand: Hand, letters: LettersPage) -> None:
    hand.press("Ctrl+N")
    hand.type("Isla Dunmore <isla@post.example>")
    hand.press("Return")
    hand.until(lambda: "is not on file" in hand.said)
    hand.click(hand.window.notices.action)
    hand.until(lambda: "on file now" in hand.said)
    (isla,) = hand.session.shared.library.people.find_people("dunmore")
    assert isla.contact.email == "isla@post.example"
    letter = letters.model.letter
    assert letter and letter.recipient == isla.contact
    hand.press("Ctrl+N")
    hand.type("isla@post.example")
    hand.press("Return")
    letter = letters.model.letter
    assert letter and letter.recipient and letter.recipient.id == isla.contact.id


def test_nobody_without_an_address_is_a_dead_end(hand: Hand, letters: LettersPage) -> None:
    library = hand.session.shared.library
    library.put(
        Contact("kid", "", first_name="Pip", last_name="Zwart", household="Quay 9"),
        Contact("mum", "z@x.example", first_name="Zoë", last_name="Zwart", household="quay 9"),
        Contact("alone", "", first_name="Al", last_name="Zyx"),
    )
    pip = library.people.person("kid")
    letters.begin.write_to(pip)  # as from the page of the person
    letters.pull_box._leave()
    letters.sending.try_to_send()
    hand.until(letters.paper.to.list.isVisible)
    assert "Not sent. Pip Zwart has no address on file" in hand.said
    letters.discard()
    hand.press("Ctrl+N")
    hand.type("pip zwart")
    hand.press("Return")
    hand.until(lambda: "of their household" in hand.said)
    assert letters.paper.to.list.isVisible()
    hand.press("Down", "Return")
    letter = letters.model.letter
    assert letter and letter.recipient and letter.recipient.id == "mum"
    letters.paper.to.setFocus()
    letters.paper.to.selectAll()
    hand.type("zyx")
    hand.press("Return")
    hand.until(lambda: "type one" in hand.said)
    hand.type("al@x.example")
    hand.press("Return")
    letter = letters.model.letter
    assert letter and letter.recipient and letter.recipient.id == "alone"
    assert letter.recipient.email == "al@x.example", "another address of theirs"


def test_a_letter_to_two_greets_both(hand: Hand, letters: LettersPage) -> None:
    hand.window.library.take.emit("refund-agreed")
    letters.paper.to.setFocus()
    hand.type("Ann Pell <a@x.example>, Bo Quill <b@x.example>")
    hand.press("Return")
    hand.until(lambda: "Dear Ann Pell and Bo Quill," in letters.paper.body.toPlainText())


def test_earlier_letters_stand_beside_the_one_that_is_written(
    hand: Hand, letters: LettersPage
) -> None:
    shared = hand.session.shared
    (hanna,) = shared.library.people.find_people("verrell")
    now = shared.now()
    shared.library.record(
        [
            Registered("<1@x>", now - timedelta(days=3), shared.my_id, hanna.contact.email,
                       contact=hanna.contact.id, template="refund-agreed", subject="The first"),
            Registered("<2@x>", now - timedelta(days=1), shared.my_id, "else@x.example",
                       case_number=hanna.case.number if hanna.case else "", subject="The second"),
        ]
    )  # fmt: skip
    letters.begin.write_to(hanna)
    letters.pull_box._leave()
    hand.until(lambda: letters.earlier.button.text() == "2 earlier letters")
    hand.press("Ctrl+H")
    assert letters.earlier.list.hasFocus()
    rows = [letters.earlier.list.item(n).text() for n in range(2)]
    assert rows == ["The second", "The first"]
    hand.press("Down")
    hand.click(letters.earlier.write_again)
    hand.until(lambda: letters.model.letter and letters.model.letter.template == "refund-agreed")
    assert "today's text" in hand.said
    letters.model.set_recipient(None)
    letters.model.set_case(None)
    hand.until(lambda: not letters.earlier.isVisible())


def test_the_record_of_a_case_goes_into_the_text_or_beside_it(
    hand: Hand, letters: LettersPage
) -> None:
    matter = hand.session.shared.library.people.numbered("DC-1107")
    letters.begin.write_to(None, matter)
    hand.type("claim received")
    hand.press("Return")
    body = letters.paper.body
    body.setFocus()
    hand.press("Ctrl+Home", "Ctrl+Alt+R")
    lines = [line.replace("\ufffc", "").strip() for line in body.toPlainText().splitlines()]
    assert lines[1].startswith("Damage claim") and lines[1].endswith("DC-1107"), lines[:5]
    assert hand.focus is body
    hand.press("Ctrl+Z")
    assert "Damage claim" not in body.toPlainText().splitlines()[1]

    hand.press("Ctrl+Alt+Y", "Down", "Return")
    hand.until(lambda: letters.model.letter and letters.model.letter.attached)
    assert letters.model.letter
    (sheet,) = letters.model.letter.attached
    assert sheet.name == ("Damage claim DC-1107.pdf",) and sheet.media_type == "application/pdf"
    text = pdf_text(hand.session.shared.library.file_bytes(sheet.file))
    assert "DC-1107" in text and "Lisle Sound Ferries" in text and "£132.00" in text, text
    # The way that was chosen last is the usual one, here and at the next start.
    hand.until(lambda: read_settings(hand.session.parts.home.settings_file).record_as == "sheet")
    hand.press("Ctrl+Alt+Y")
    assert letters.from_case.menu.actions()[0].text().endswith("PDF sheet")
    hand.press("Esc")
    letters.model.set_case(None)
    assert not letters.from_case.button.isVisible()
    hand.press("Ctrl+Alt+R")
    assert hand.said.startswith("Choose a case first")


def test_a_letter_like_one_that_went_may_have_its_words(hand: Hand, letters: LettersPage) -> None:
    take(hand, "claim received", "DC-1107")
    letters.model.type_value("claim of", "a door")
    body = letters.paper.body
    body.setFocus()
    hand.press("Ctrl+End")
    hand.type(" And something of my own.")
    hand.press("Ctrl+Return", "Ctrl+Return")  # a doubt is asked once
    hand.sent_all()
    went = hand.session.shared.entries[0]
    letters.begin.like(went)
    hand.until(lambda: letters.model.letter and letters.model.letter.template == went.template)
    assert "of my own" not in body.toPlainText()
    hand.click(hand.window.notices.action)
    hand.until(lambda: "And something of my own." in body.toPlainText())
    assert letters.model.letter and letters.model.letter.subject == (went.subject,)
    foot = hand.session.shared.catalogue.frame("").foot
    assert not foot or foot[-1] not in body.toPlainText()
    hand.click(hand.window.notices.action)
    assert "of my own" not in body.toPlainText()
    # Without a template in use, the words of then are all there is.
    letters.begin.like(replace(went, template="gone"))
    hand.until(lambda: "And something of my own." in body.toPlainText())
    assert letters.model.letter and letters.model.letter.template == ""


def _at(case: Case, fare: str) -> Case:
    return replace(case, fields={**case.fields, "fare": {"money": fare, "currency": "GBP"}})


def test_values_follow_a_case_that_is_changed_elsewhere(
    hand: Hand, home: Home, letters: LettersPage
) -> None:
    people = hand.session.shared.library.people
    case = people.numbered("LS-48260")
    assert case is not None and case.contact is not None
    letters.begin.take("refund-agreed")
    letters.model.set_case(case)
    hand.until(lambda: "£64.00" in letters.paper.body.toPlainText())
    letters.model.type_value("refund by", "soon")

    def elsewhere(*changes: Changed) -> None:
        with closing(open_library(home.library_file)) as library:
            library.change_people(changes)

    dearer = _at(case.case, "80.00")
    moved = replace(case.contact, email="aoife@new.example")
    elsewhere(Changed(case.case, dearer), Changed(case.contact, moved))
    hand.until(lambda: "£80.00" in letters.paper.body.toPlainText())
    assert "Fare paid: £80.00" in hand.said and "goes to aoife@new.example" in hand.said
    letter = letters.model.letter
    assert letter is not None and letter.recipient is not None
    assert letter.recipient.email == "aoife@new.example"
    assert letter.answers == {"refundby": "soon"}, "what was typed stays"
    hand.click(hand.window.notices.action)
    hand.until(lambda: "£64.00" in letters.paper.body.toPlainText())

    # A letter that was put aside follows when it is taken up again; a chosen address stays.
    letters.model.set_recipient(Person(replace(moved, email="desk@work.example")))
    first = letter.id
    letters.new_letter()
    elsewhere(Changed(dearer, _at(dearer, "9.00")))
    letters.open_letter(first)
    hand.until(lambda: "£9.00" in letters.paper.body.toPlainText())
    letter = letters.model.letter
    assert letter is not None and letter.recipient is not None
    assert letter.recipient.email == "desk@work.example"


def test_the_files_of_a_case_are_kept_with_it_and_attached_from_a_list(
    hand: Hand, letters: LettersPage, tmp_path: Path
) -> None:
    one, other = tmp_path / "photo of the door.png", tmp_path / "letter & answer.txt"
    one.write_bytes(b"\x89PNG not really")
    other.write_text("Dear all")
    hand.press("Alt+2")
    people = hand.window.people.view
    case = hand.session.shared.library.people.numbered("DC-1107")
    assert case is not None
    people.show_case(case.case.id)
    files = people.case_view.other
    hand.until(lambda: files._case and files._case.number == "DC-1107")
    files.take_paths([str(one), str(other), str(one)])
    kept = hand.session.shared.library.people

    def names() -> list[str]:
        found, held = kept.case(case.case.id), hand.session.shared.catalogue.files
        return [held[key].name for key in found.files if key in held] if found else []

    hand.until(lambda: names() == [one.name, other.name])
    hand.until(lambda: people.page and len(people.page.matter.case.files) == 2)  # type: ignore[union-attr]
    files.save(people.page.matter.case.files[1], tmp_path / "out.txt")  # type: ignore[union-attr]
    hand.until((tmp_path / "out.txt").exists)
    assert (tmp_path / "out.txt").read_text() == "Dear all"

    people.write_letter()
    letters.begin.take("claim-received")
    letters.model.set_case(kept.matter(case.case.id))
    assert letters.from_case.button.isVisible()
    letters.from_case.offer()
    menu = letters.from_case.menu
    assert [action.text() for action in menu.actions() if action.text()] == [
        "The record of the case, in the text", "The record of the case, as a PDF sheet",
        "photo of the door.png (15 bytes)", "letter && answer.txt (8 bytes)",
        "All of these files",
    ]  # fmt: skip
    menu.actions()[3].trigger()
    menu.close()
    assert letters.model.letter is not None
    assert [a.name for a in letters.model.letter.attached][-1] == (one.name,)
    hand.window.go(hand.window.people)
    people.show_case(case.case.id)
    hand.until(lambda: files._case and len(files._case.files) == 2)
    files._drop(files._case.files[0], one.name)  # type: ignore[union-attr]
    hand.until(lambda: names() == [other.name])
    hand.click(hand.window.notices.action)
    hand.until(lambda: names() == [one.name, other.name])

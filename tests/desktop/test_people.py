"""People and cases in the window: found, read, filled in, brought in, made one, taken out."""

import zipfile
from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog

from nebbet.core.records import Contact
from nebbet.core.records.kinds import PEOPLE
from nebbet.desktop.people.page import PeoplePlace
from nebbet.desktop.people.view import PeopleView
from nebbet.library.store import Library
from tests.desktop.conftest import Hand


@pytest.fixture
def place(hand: Hand) -> PeoplePlace:
    hand.press("Alt+2")
    hand.until(lambda: hand.window.people.view.page is not None)
    return hand.window.people


@pytest.fixture
def view(place: PeoplePlace) -> PeopleView:
    return place.view


def library(hand: Hand) -> Library:
    return hand.session.shared.library


def find(hand: Hand, view: PeopleView, words: str) -> None:
    hand.press("Ctrl+L")
    hand.focus.selectAll()  # type: ignore[attr-defined]
    hand.type(words)
    hand.until(lambda: not view.found._typed.isActive())
    hand.settle()


def shown(view: PeopleView) -> str:
    return view._right.currentWidget().title.text()  # type: ignore[union-attr]


def kept(hand: Hand) -> None:
    hand.until(lambda: "is kept" in hand.said)
    hand.settle()


# Finding and reading


def test_people_are_found_by_typing_mistakes_forgiven(hand: Hand, view: PeopleView) -> None:
    for words, who in (("verell", "Hanna Verrell"), ("aoife.b", "Aoife Brannigan"),
                       ("LS-48260", "Aoife Brannigan"),
                       ("sound singers", "Cormac Delahunty")):  # fmt: skip
        find(hand, view, words)
        hand.until(lambda who=who: shown(view) == who)
    find(hand, view, "nobody at all like this")
    assert view.found.list.count() == 0


def test_a_person_s_page_leads_to_their_case_and_back(hand: Hand, view: PeopleView) -> None:
    find(hand, view, "brannigan")
    view.person_view.one.list.setFocus()
    hand.press("Down", "Return")
    hand.until(lambda: shown(view).startswith("LS-48260"))
    assert view.found.cases and "Aoife" in view.case_view.one.list.item(0).text()
    assert view.case_view.fields.rowCount() > 3
    view.case_view.one.list.setFocus()
    hand.press("Down", "Return")
    hand.until(lambda: shown(view) == "Aoife Brannigan")


def test_return_writes_to_whoever_is_at_hand(hand: Hand, view: PeopleView) -> None:
    find(hand, view, "verrell")
    hand.press("Return", "Return")
    letter = hand.window.letters.model.letter
    assert hand.window.letters.pull_box.isVisible()
    assert letter and letter.recipient and letter.recipient.last_name == "Verrell"
    assert letter.case is not None, "an only case comes along"


def test_letters_stand_on_one_line_of_time_and_are_written_again(
    hand: Hand, view: PeopleView
) -> None:
    find(hand, view, "brannigan")
    assert view.person_view.letters.heading.text() == "No letter yet"
    hand.press("Ctrl+Alt+W")
    hand.type("refund agreed")
    hand.press("Return")
    for particular in hand.window.letters.model.particulars:
        if particular.is_blank and particular.placeholder.source == "blank":
            hand.window.letters.model.type_value(particular.name, "1 December 2026")
    hand.press("Ctrl+Return", "Ctrl+Return")
    hand.sent_all()
    hand.press("Alt+2")
    letters = view.person_view.letters
    hand.until(lambda: letters.list.count() == 1)
    assert "by Benedek Roy" in letters._choice(letters.current, hand.clock(), names=False).second
    hand.press("Ctrl+Alt+R")
    letter = hand.window.letters.model.letter
    assert letter and letter.template == letters.current.template
    assert letter.recipient and letter.recipient.first_name == "Aoife" and letter.case


# Filling in


def test_somebody_new_is_filled_in_and_found(hand: Hand, view: PeopleView) -> None:
    hand.press("Ctrl+Alt+A")
    hand.type("Isla")
    hand.press("Tab")
    hand.type("Dunmore")
    hand.press("Tab")
    hand.type("isla@post.example")
    view.filling.person.own.more.setFocus()
    hand.type("cabin: 214")
    hand.press("Ctrl+S")
    kept(hand)
    hand.until(lambda: shown(view) == "Isla Dunmore")
    (isla,) = library(hand).people.find_people("dunmore")
    assert isla.contact.email == "isla@post.example" and isla.contact.more == {"cabin": "214"}
    find(hand, view, "214")
    assert [view.found.list.item(0).text(), view.found.list.count()] == ["Isla Dunmore", 1]


def test_what_makes_no_sense_stays_in_the_form(hand: Hand, view: PeopleView) -> None:
    hand.press("Ctrl+Alt+A", "Ctrl+S")
    assert "needs a name or a mail address" in hand.said
    view.filling.person.lines["email"].setFocus()
    hand.type("nix")
    hand.press("Ctrl+S")
    assert "is not a mail address" in hand.said and view.is_filling
    assert view.filling.person.lines["email"].hasFocus()


def test_what_is_typed_waits_as_a_draft_and_can_be_thrown_away(
    hand: Hand, view: PeopleView
) -> None:
    find(hand, view, "verrell")
    hand.press("Ctrl+E")
    view.filling.person.lines["household"].setFocus()
    hand.type("Quay 3")
    hand.press("Esc")
    assert not view.is_filling and "waits here" in hand.said
    hand.press("Ctrl+E")
    assert view.filling.person.lines["household"].text() == "Quay 3"
    view.filling.drop()
    hand.press("Ctrl+E")
    assert view.filling.person.lines["household"].text() == ""


def test_a_case_is_filled_in_by_its_kind(hand: Hand, view: PeopleView, tmp_path: Path) -> None:
    find(hand, view, "verrell")
    hand.press("Ctrl+Alt+D")
    form = view.filling.case
    hand.type("LS-99001")
    form.kind.setFocus()
    form.kind.setCurrentText("refund")
    fare = form.own.lines["fare"]
    hand.until(fare.isVisible)
    fare.setFocus()
    hand.type("12.50 GBP")
    sailing = form.own.lines["sailing"]
    sailing.setFocus()
    hand.type("soon")
    hand.press("Ctrl+S")
    assert "Sailing" in hand.said and view.is_filling
    sailing.selectAll()  # type: ignore[union-attr]
    hand.type("1 December 2026")
    form.further.setFocus()
    hand.type("brannigan")
    hand.press("Return")
    assert "Aoife Brannigan" in form.also.text()
    (tmp_path / "photo.txt").write_text("a door")
    form.files.take_paths([str(tmp_path / "photo.txt")])
    hand.until(lambda: form.files.keys)
    hand.press("Esc")  # what is typed waits, and the file with it
    find(hand, view, "brannigan")
    find(hand, view, "verrell")
    hand.press("Ctrl+Alt+D")
    assert form.files.keys and form.lines["number"].text() == "LS-99001"
    hand.press("Ctrl+S")
    kept(hand)
    hand.until(lambda: shown(view).startswith("LS-99001"))
    made = library(hand).people.numbered("ls 99001")
    assert made and made.contact and made.contact.last_name == "Verrell"
    assert made.case.fields["fare"] == {"money": "12.50", "currency": "GBP"}
    assert made.case.fields["sailing"] == {"date": "2026-12-01"}
    assert len(made.case.people) == 1
    names = {key: one.name for key, one in library(hand).files().items()}
    assert [names[key] for key in made.case.files] == ["photo.txt"]


def test_somebody_who_was_quicker_is_told_and_both_stand(hand: Hand, view: PeopleView) -> None:
    find(hand, view, "verrell")
    (hanna,) = library(hand).people.find_people("verrell")
    hand.press("Ctrl+E")
    view.filling.person.lines["household"].setFocus()
    hand.type("1")
    from msgspec.structs import replace

    library(hand).put(replace(hanna.contact, title="Dr"))
    hand.press("Ctrl+S")
    hand.until(lambda: "meanwhile" in hand.said)
    assert view.is_filling and view.filling.person.lines["household"].text() == "1"
    hand.press("Ctrl+S")
    kept(hand)
    now = library(hand).people.contact(hanna.contact.id)
    assert now and now.household == "1"


def test_filed_away_and_back(hand: Hand, view: PeopleView) -> None:
    find(hand, view, "verrell")
    hand.press("Ctrl+Alt+X")
    hand.until(lambda: "filed away" in hand.said)
    hand.until(lambda: view.filing[0].text() == "Bring back")
    assert "Filed away" in view.person_view.mark.text()
    hand.click(hand.window.notices.action)
    hand.until(lambda: "as it was before" in hand.said)
    hand.until(lambda: view.filing[0].text() == "File away")


# Bringing in


def test_a_file_is_looked_at_brought_in_and_undone(
    hand: Hand, place: PeoplePlace, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "passengers.csv"
    path.write_bytes(
        "First name;Surname;E-mail;Season\nZoë;Åberg;zoe@post.example;2026\n"
        "Hanna;Verrell;hanna.verrell@mailbox.example;2025\nJo;Nix;not one;\n".encode("cp1252")
    )
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_words: (str(path), ""))
    hand.press("Ctrl+Alt+O")
    page = place.importing
    hand.press("Ctrl+O")
    hand.until(lambda: len(page.plan.rows) == 3)
    assert page.encoding.currentText() == "cp1252" and page.delimiter.currentText() == "semicolon"
    assert "refused 1" in page.rows.counts.text()
    page.columns.boxes["Season"].setCurrentIndex(0)  # left out
    hand.until(lambda: not page._soon.isActive())
    hand.settle()
    page.columns.boxes["Season"].setCurrentIndex(1)
    hand.until(lambda: not page._soon.isActive())
    hand.settle()
    before = library(hand).people.people_page().of
    hand.press("Ctrl+Return", "Ctrl+Return")
    hand.until(lambda: "Brought in" in hand.said)
    after = library(hand).people.people_page().of
    (zoe,) = library(hand).people.find_people("aberg")
    assert zoe.contact.more == {"season": "2026"} and after > before
    hand.click(hand.window.notices.action)
    hand.until(lambda: "before the import" in hand.said)
    assert library(hand).people.people_page().of == before
    # The next file of this shape is taken as this one was.
    hand.press("Ctrl+Alt+O", "Ctrl+O")
    hand.until(lambda: len(page.plan.rows) == 3)
    assert page.columns.matches()["Season"] == "+"


def test_a_file_that_is_none_leaves_the_page_as_it_was(
    hand: Hand, place: PeoplePlace, tmp_path: Path
) -> None:
    path = tmp_path / "x.xlsx"
    path.write_bytes(b"PK\x03\x04 cut off")
    hand.press("Ctrl+Alt+O")
    place.importing.take(path)
    hand.until(lambda: "damaged" in hand.said)
    assert place.importing.name.text() == "No file is chosen yet."
    hand.press("Esc")
    assert place.at_hand() is place.view


# Kinds, doubles, links


def test_a_lead_sets_a_kind_and_cases_are_called_by_its_field(
    hand: Hand, place: PeoplePlace
) -> None:
    hand.press("Ctrl+Alt+K")
    page = place.kinds
    row = next(n for n in range(page.list.count()) if page.list.item(n).text() == "refund")
    page.list.setCurrentRow(row)
    rows = {row.name.text(): row for row in page.form.rows}
    hand.until(rows["fare"].label.isVisible)
    rows["fare"].label.setFocus()
    rows["fare"].label.selectAll()
    hand.type("Fare paid")
    rows["fare"].first.setChecked(True)
    page.form.naming.setCurrentIndex(page.form.naming.findData("from"))
    hand.press("Ctrl+S")
    kept(hand)
    hand.until(lambda: hand.session.shared.catalogue.kinds["refund"].naming == "from")
    kind = hand.session.shared.catalogue.kinds["refund"]
    assert kind.naming == "from" and kind.field("fare").label == "Fare paid"  # type: ignore[union-attr]
    hand.press("Esc")
    view = place.view
    find(hand, view, "LS-48260")
    view.found.show_kind(cases=True)
    hand.settle()
    hand.until(lambda: view.case_view.fields.rowCount() > 0)
    fields = view.case_view.fields
    names = [
        fields.itemAt(row, fields.ItemRole.LabelRole).widget().text()  # type: ignore[attr-defined]
        for row in range(fields.rowCount())
    ]
    assert names.index("Fare paid") < names.index("Ship"), "what is marked comes first"
    hand.press("Ctrl+Alt+K")
    page.list.setCurrentRow(0)
    assert page.unsaved.key == PEOPLE


def test_two_become_one_person_and_two_again(hand: Hand, place: PeoplePlace) -> None:
    shared = library(hand)
    (hanna,) = shared.people.find_people("verrell")
    shared.put(
        Contact("twin", hanna.contact.email, first_name="H.", last_name="Verrell", phone="1")
    )
    hand.session.shared.refresh()
    find(hand, place.view, "verrell")
    hand.until(lambda: shown(place.view).endswith("Verrell"))
    hand.press("Ctrl+Alt+T")
    page = place.doubles
    hand.until(lambda: page.pair is not None)
    assert "same address" in page.why.text()
    hand.press("Ctrl+Return")
    hand.until(lambda: "is one person now" in hand.said)
    hand.until(lambda: page.pair is None)
    hand.click(hand.window.notices.action)
    hand.until(lambda: page.pair is not None)
    # What one of them says better is taken from there, whoever is first.
    assert page.pair is not None
    side = 0 if page.pair.one.id == "twin" else 1
    hand.click(page.sides[side].takes["name"])
    assert page.sides[side].takes["name"].text() == "taken"
    page.merge(1 - side)
    hand.until(lambda: "is one person now" in hand.said)
    hand.until(lambda: shared.people.contact(hanna.contact.id).first_name == "H.")  # type: ignore[union-attr]
    hand.click(hand.window.notices.action)
    hand.until(lambda: page.pair is not None)
    hand.press("Ctrl+Alt+T")
    hand.until(lambda: "two people" in hand.said)
    hand.until(lambda: page.pair is None)


def test_all_that_is_held_is_written_and_taken_out(
    hand: Hand, place: PeoplePlace, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    view = place.view
    find(hand, view, "brannigan")
    key = view.page.contact.id  # type: ignore[union-attr]
    path = tmp_path / "held.zip"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_words: (str(path), ""))
    hand.press("Ctrl+Alt+I")
    page = place.holdings
    hand.until(lambda: "Aoife" in page.name.text())
    hand.press("Ctrl+S")
    hand.until(path.exists)
    assert zipfile.is_zipfile(path)
    hand.click(page.take_out_button)
    hand.until(lambda: "is taken out" in hand.said)
    assert library(hand).people.contact(key) is None
    assert place.at_hand() is view


def test_a_linked_table_is_set_up_read_and_not_changed_here(
    hand: Hand, place: PeoplePlace, tmp_path: Path
) -> None:
    table = tmp_path / "crm.csv"
    table.write_text("Key,Name,Mail\n7,Ann Wren,ann.wren@x.example\n")
    hand.press("Ctrl+Alt+L", "Ctrl+Alt+A")
    page = place.links
    hand.until(page.form.name.hasFocus)
    hand.type("Passengers")
    page.form.place.setFocus()
    hand.type(str(table))
    hand.press("Ctrl+Alt+G")
    hand.until(lambda: page.form.columns.boxes)
    assert page.form.key.currentText() == "Key"
    assert page.form.columns.matches() == {"Key": "+", "Name": "name", "Mail": "email"}
    hand.press("Ctrl+S")
    hand.until(lambda: library(hand).people.find_people("wren"))
    hand.until(lambda: "1 rows, 1 new" in page.result.text())
    hand.press("Esc")
    find(hand, place.view, "wren")
    hand.until(lambda: "linked table" in place.view.person_view.mark.text())
    hand.press("Ctrl+E")
    assert "change it there" in hand.said and not place.view.is_filling
    table.write_text("nothing")
    hand.press("Ctrl+Alt+L", "Ctrl+R")
    hand.until(lambda: "no column" in page.result.text())
    assert library(hand).people.find_people("wren")

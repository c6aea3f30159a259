"""What the team shares beside templates: files, members, signatures, and what was before."""

from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from nebbet.core.letter.signature import SIGNATURE
from nebbet.core.records import Member
from nebbet.desktop.kit.picker import ChoiceList
from nebbet.desktop.shelves.page import LibraryPage
from nebbet.library.documents import states
from nebbet.library.store import open_library
from nebbet.personal.home import Home
from tests.conftest import NOW
from tests.desktop.conftest import Hand, template


@pytest.fixture
def page(hand: Hand) -> LibraryPage:
    hand.press("Alt+3")
    return hand.window.library


def rows(shown: ChoiceList) -> list[str]:
    return [shown.item(row).text() for row in range(shown.count())]


def member(hand: Hand, key: str = "benedek.roy") -> Member:
    return hand.session.shared.catalogue.members[key]


# Files


def test_a_file_is_replaced_everywhere_in_one_act(
    hand: Hand, page: LibraryPage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    hand.press("Ctrl+Alt+L")
    files = page.files
    hand.click_row(files.list, "conditions.pdf")
    hand.until(lambda: rows(files.users))
    used = rows(files.users)
    assert len(used) == 4 and "Group booking: our offer" in used
    new = tmp_path / "conditions-2027.pdf"
    new.write_bytes(b"%PDF-1.7 the new ones")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a, **_k: (str(new), ""))
    hand.press("Ctrl+Alt+R")
    assert "conditions-2027.pdf takes the place of conditions.pdf in 4 places: " in (
        files.about.text()
    )
    assert all(title in files.about.text() for title in used)
    assert hand.focus is files.stay_button, "the safe answer is at hand"
    hand.press("Esc")
    assert files.isVisible() and not files.question.isVisible()
    hand.press("Ctrl+Alt+R")
    hand.click(files.go_button)
    hand.until(lambda: template(hand, "group-offer").edition == 2)
    assert "stands in its place in 4 templates now" in hand.said
    found = template(hand, "group-offer")
    assert found.note == "conditions-2027.pdf in the place of conditions.pdf"
    assert found.author == "benedek.roy" and found.state == "in use"
    (enclosure,) = [e for e in found.content.enclosures if "onditions" in e.name]
    assert hand.session.shared.library.file_bytes(enclosure.file) == b"%PDF-1.7 the new ones"
    assert enclosure.size == len(b"%PDF-1.7 the new ones")


def test_a_file_has_a_last_day_and_only_an_unused_one_goes(
    hand: Hand, page: LibraryPage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    hand.press("Ctrl+Alt+L")
    files = page.files
    hand.click_row(files.list, "claim-form.pdf")
    files.until.setFocus()
    hand.type("soon")
    hand.press("Return")
    assert "“soon” is no day" in hand.said
    files.until.clear()
    hand.type("2026-11-01")
    hand.press("Ctrl+S")
    key = files.list.key
    hand.until(lambda: hand.session.shared.catalogue.files[key].valid_until is not None)
    files.until.setFocus()
    hand.press("Ctrl+A")
    hand.type("2027")
    hand.click_row(files.list, "conditions.pdf")
    assert files.until.text() == ""
    hand.click_row(files.list, "claim-form.pdf")
    assert files.until.text() == "2027", "what is typed is kept when one goes to another file"
    hand.click(files.drop_button)
    hand.until(lambda: "needs this file" in hand.said)
    picture = tmp_path / "plan.png"
    image = QImage(20, 20, QImage.Format.Format_RGB32)
    image.fill(QColor("red"))
    image.save(str(picture))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_a, **_k: ([str(picture)], ""))
    hand.press("Ctrl+Alt+A")
    hand.until(lambda: "plan.png" in rows(files.list))
    hand.click_row(files.list, "plan.png")
    hand.until(files.picture.isVisible)
    hand.click(files.drop_button)
    hand.until(lambda: "plan.png" not in rows(files.list))


def test_a_file_leads_to_its_templates(hand: Hand, page: LibraryPage) -> None:
    hand.press("Ctrl+Alt+L")
    hand.click_row(page.files.list, "port-desks.png")
    hand.until(lambda: rows(page.files.users))
    page.files.users.setFocus()
    page.files.users.setCurrentRow(0)
    wanted = page.files.users.key
    hand.press("Return")
    assert page.view.isVisible() and page.table.key == wanted


def test_a_file_that_cannot_be_read_is_one_sentence(
    hand: Hand, page: LibraryPage, tmp_path: Path
) -> None:
    hand.press("Ctrl+Alt+L")
    hand.until(lambda: rows(page.files.users))
    page.files.ask(tmp_path / "gone.pdf")
    page.files.go()
    hand.until(lambda: "gone.pdf cannot be read" in hand.said)


# Members


def test_a_member_is_changed_and_a_new_one_begins(hand: Hand, page: LibraryPage) -> None:
    hand.press("Ctrl+Alt+U")
    members = page.members
    assert hand.focus is members.list and members.list.key == "benedek.roy"
    form = members.form
    form.more.setFocus()
    hand.type("desk")
    hand.press("Ctrl+S")
    assert "“desk” is no field" in hand.said and form.more.hasFocus()
    form.more.setPlainText("desk: second floor\nopening hours: 9 to 17")
    hand.press("Ctrl+S")
    hand.until(lambda: member(hand).more)
    assert member(hand).more == {"desk": "second floor", "opening_hours": "9 to 17"}
    hand.press("Ctrl+Alt+A")
    hand.type("Ada")
    form.fields["last_name"].setFocus()
    hand.type("Byron")
    hand.press("Ctrl+S")
    assert "is not a mail address" in hand.said and hand.focus is form.fields["email"]
    hand.type("benedek.roy@engine.example")
    hand.press("Ctrl+S")
    hand.until(lambda: "benedek.roy-2" in hand.session.shared.catalogue.members)
    assert member(hand, "benedek.roy-2").name == "Ada Byron"
    hand.press("Esc")
    assert page.view.isVisible()


def test_free_fields_are_said_by_templates(hand: Hand, page: LibraryPage) -> None:
    hand.press("Ctrl+Alt+U")
    page.members.form.more.setPlainText("desk: second floor")
    hand.press("Ctrl+S")
    hand.until(lambda: "desk" in hand.session.shared.search.fields.members)
    hand.press("Esc")
    page.edit("way-to-the-port")
    page.editor.body.setFocus()
    hand.press("Ctrl+End", "Return")
    hand.type("Ask at the {{sender.de")
    assert page.editor.body.braces.list.isVisible()
    hand.press("Return", "Ctrl+T")
    assert "second floor" in page.editor.trial.body.toPlainText()


def test_a_signature_is_written_and_stands_in_letters(hand: Hand, page: LibraryPage) -> None:
    hand.click(hand.window.person)
    hand.click(hand.window.profile.signature_button)
    passages = page.passages
    assert passages.isVisible() and passages.list.key == SIGNATURE
    assert passages.list.currentItem().text() == "My signature"
    assert not passages.drop.isVisible() and not passages.title_field.isEnabled()
    passages.body.setFocus()
    hand.press("Ctrl+End")
    hand.type(", at your service")
    hand.press("Ctrl+S")
    hand.until(lambda: member(hand).signatures)
    assert "{{sender.phone}}, at your service" in member(hand).signatures["en_GB"]
    hand.press("Esc")
    page.edit("way-to-the-port")
    page.editor.body.setFocus()
    hand.press("Ctrl+End")
    page.editor.body.parts.insert_passage(SIGNATURE)
    hand.put_in_use("Signed by whoever writes")
    hand.until(lambda: template(hand, "way-to-the-port").edition == 2)
    assert not [f for f in page.editor.findings() if f.severity == "stop"]
    hand.press("Alt+1")
    hand.window.letters.begin.take("way-to-the-port")
    text = hand.window.letters.paper.body.toPlainText()
    assert "01632 960 121, at your service" in text and text.count("at your service") == 1


# What was before


def test_an_earlier_fact_is_brought_back(hand: Hand, page: LibraryPage) -> None:
    hand.press("Ctrl+Shift+A")
    facts = page.facts
    hand.click_row(facts.list, "Claims, telephone")
    for value in ("01632 960 999", "01632 960 111"):
        facts.form.value.setText(value)
        hand.press("Ctrl+S")
        hand.until(lambda v=value: hand.session.shared.catalogue.facts["claims_phone"].value == v)
    hand.press("Ctrl+Alt+H")
    states = page.states
    hand.until(lambda: len(states.states) == 3)
    assert "in use" in str(states.list.item(0).data(Qt.ItemDataRole.AccessibleTextRole))
    assert "960 999" in states.view.toPlainText() and "960 111" in states.view.toPlainText()
    assert not states.restore_button.isEnabled()
    hand.press("Down", "Down")
    assert "Nothing before it" in states.view.toPlainText()
    hand.press("Ctrl+B")
    hand.until(lambda: hand.session.shared.catalogue.facts["claims_phone"].value == "01632 960 140")
    hand.until(lambda: len(states.states) == 4)
    assert "is as in state 1 again" in hand.said
    hand.press("Esc")
    assert facts.isVisible()


def test_an_earlier_passage_and_frame_are_shown(hand: Hand, page: LibraryPage) -> None:
    hand.press("Ctrl+Alt+B")
    passages = page.passages
    key = passages.list.key
    passages.body.setFocus()
    hand.press("Ctrl+End")
    hand.type(" Once more.")
    hand.press("Ctrl+S")
    hand.until(lambda: "Once more." in str(hand.session.shared.catalogue.passages[key].texts))
    hand.click(passages.earlier_button)
    hand.until(lambda: len(page.states.states) == 2)
    assert "Once more." in page.states.view.toPlainText()
    QTest.keyClick(page.states.list, Qt.Key.Key_Down)
    hand.click(page.states.restore_button)
    hand.until(lambda: "Once more." not in str(hand.session.shared.catalogue.passages[key].texts))
    hand.press("Esc", "Esc", "Ctrl+Alt+F")
    frames = page.frames
    frames.name.setFocus()
    hand.press("Ctrl+A")
    hand.type("Our paper")
    hand.press("Ctrl+S")
    hand.until(lambda: hand.session.shared.catalogue.frames[frames.list.key].name == "Our paper")
    hand.press("Ctrl+Alt+H")
    hand.until(lambda: len(page.states.states) == 2)
    assert "Our paper" in page.states.view.toPlainText()
    hand.press("Esc")
    hand.click_row(frames.list, "Letter paper")
    hand.press("Ctrl+Alt+H")
    hand.until(lambda: "has not been changed yet" in page.states.heading.text())


# Two at the same


@pytest.mark.parametrize("what", ["fact", "passage", "frame"])
def test_who_is_second_is_told_and_nothing_is_overwritten_unseen(
    hand: Hand, page: LibraryPage, home: Home, what: str
) -> None:
    hand.press({"fact": "Ctrl+Shift+A", "passage": "Ctrl+Alt+B", "frame": "Ctrl+Alt+F"}[what])
    shown = {"fact": page.facts, "passage": page.passages, "frame": page.frames}[what]
    kind, key, _name = shown.shared
    field = {"fact": page.facts.form.label, "frame": page.frames.name}.get(
        what, page.passages.title_field
    )
    field.setFocus()
    hand.press("Ctrl+A")
    hand.type("Mine")
    library = open_library(home.library_file)
    there = library.catalogue(NOW)
    if what == "frame":
        library.put_frame(key, replace(there.frames[key], name="Theirs"), "ivo.lindqvist", NOW)
    elif what == "passage":
        changed = replace(there.passages[key], title="Theirs")
        library.put(changed, author="ivo.lindqvist", made=NOW)
    else:
        library.put(replace(there.facts[key], label="Theirs"), author="ivo.lindqvist", made=NOW)
    hand.press("Ctrl+S")
    hand.until(lambda: "Somebody changed this meanwhile" in hand.said)
    assert field.text() == "Mine", "what was written is still on the page"
    hand.until(lambda: "Theirs" in str(getattr(hand.session.shared.catalogue, f"{what}s")[key]))
    hand.press("Ctrl+S")
    hand.until(lambda: "Mine" in str(getattr(hand.session.shared.catalogue, f"{what}s")[key]))
    assert [s.author for s in states(library.engine, kind, key)][:2] == [
        "benedek.roy",
        "ivo.lindqvist",
    ]
    library.close()


def test_pressing_twice_and_typing_on_is_no_quarrel_with_oneself(
    hand: Hand, page: LibraryPage
) -> None:
    hand.press("Ctrl+Alt+F")
    frames = page.frames

    def kept() -> str:
        return hand.session.shared.catalogue.frames[frames.list.key].name

    frames.name.setFocus()
    hand.press("Ctrl+A")
    hand.type("One")
    hand.press("Ctrl+S", "Ctrl+S")
    hand.type(" more")
    hand.press("Ctrl+S")
    hand.type(" time")
    hand.until(lambda: kept() == "One more")
    assert frames.name.text() == "One more time", "what is typed meanwhile stays"
    hand.press("Ctrl+S")
    hand.until(lambda: kept() == "One more time")
    assert [s.number for s in states(hand.session.shared.library.engine, *frames.shared[:2])] == [
        4, 3, 2, 1,
    ]  # fmt: skip


# Checks


def test_a_lead_grades_a_check_and_letters_go_by_it(hand: Hand) -> None:
    hand.press("Alt+3", "Ctrl+Alt+J")
    page = hand.window.library.checks
    box = page.boxes["greeting"]
    assert box.currentData() == "doubt"
    box.setFocus()
    hand.press("Up")
    box.activated.emit(box.currentIndex())
    hand.until(lambda: hand.session.shared.catalogue.grades == {"greeting": "stop"})
    assert "“Greeting” is a stop" in hand.said
    hand.press("Esc")
    assert hand.window.library.at_hand() is not page
    hand.press("Ctrl+N")
    hand.type("verrell")
    hand.press("Return")
    hand.window.letters.paper.body.setFocus()
    hand.type("Dear Mr Nobody,")
    found = hand.window.letters.model.findings
    assert [f.severity for f in found if f.rule == "greeting"] == ["stop"]

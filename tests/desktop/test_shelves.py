"""Shelves through the window: arranging, several at once, narrowing, finding, one's own."""

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu, QTreeWidgetItem
from pytestqt.qtbot import QtBot

from nebbet.desktop.shelves.page import LibraryPage
from nebbet.desktop.shelves.table import MATCHES, TemplatesTable
from nebbet.desktop.window import Window
from nebbet.library.holdings import own_shelf
from nebbet.library.store import open_library
from nebbet.personal.home import Home
from tests.conftest import NOW
from tests.desktop.conftest import Hand, template

MINE = own_shelf("benedek.roy").id


@pytest.fixture
def page(hand: Hand) -> LibraryPage:
    hand.press("Alt+3")
    return hand.window.library


def titles(table: TemplatesTable) -> list[str]:
    model = table.model()
    return [str(model.index(row, 0).data()) for row in range(model.rowCount())]


def shelves(hand: Hand) -> list[tuple[str, str]]:
    return [(shelf.name, shelf.parent) for shelf in hand.session.shared.catalogue.shelves]


def item(page: LibraryPage, words: str) -> QTreeWidgetItem:
    flags = Qt.MatchFlag.MatchExactly | Qt.MatchFlag.MatchRecursive
    (found,) = page.shelves.findItems(words, flags)
    return found


def go_to(page: LibraryPage, words: str) -> None:
    page.shelves.setCurrentItem(item(page, words))
    page.shelves.setFocus()


def select(page: LibraryPage, *keys: str) -> None:
    """Click on one, and on the others with Ctrl held."""
    model, modifier = page.table.model(), Qt.KeyboardModifier.NoModifier
    rows = list(model.keys)  # type: ignore[attr-defined]
    for key in keys:
        index = model.index(rows.index(key), 0)
        page.table.scrollTo(index)
        where = page.table.visualRect(index).center()
        button = Qt.MouseButton.LeftButton
        QTest.mouseClick(page.table.viewport(), button, modifier, where)
        modifier = Qt.KeyboardModifier.ControlModifier
    assert set(page.table.keys) == set(keys)


def open_menu() -> QMenu:
    found = QApplication.activePopupWidget()
    assert isinstance(found, QMenu)
    return found


def choose_in_menu(words: str) -> None:
    menu = open_menu()
    (action,) = [a for a in menu.actions() if a.text() == words]
    menu.setActiveAction(action)
    QTest.keyClick(menu, Qt.Key.Key_Return)
    QApplication.processEvents()
    for window in QApplication.topLevelWidgets():
        if isinstance(window, Window):
            window.activateWindow()
    QApplication.processEvents()


# Shelves


def test_a_shelf_shows_what_stands_on_the_shelves_on_it(hand: Hand, page: LibraryPage) -> None:
    assert item(page, "Lost property").parent() is item(page, "Claims and complaints")
    go_to(page, "Lost property")
    inner = titles(page.table)
    go_to(page, "Claims and complaints")
    assert len(inner) == 4 and set(inner) < set(titles(page.table))


def test_shelves_are_arranged_by_keys(hand: Hand, page: LibraryPage) -> None:
    go_to(page, "Freight")
    hand.press("Alt+Up")
    hand.until(lambda: shelves(hand).index(("Freight", "")) < 6)
    names = [name for name, _ in shelves(hand)]
    assert names.index("Freight") == names.index("Groups and regulars") - 1
    assert page.shelves.key == "freight" and hand.focus is page.shelves
    hand.press("Alt+Right")
    hand.until(lambda: ("Freight", "ports-and-boarding") in shelves(hand))
    assert item(page, "Freight").parent() is item(page, "Ports and boarding")
    hand.press("Alt+Left")
    hand.until(lambda: ("Freight", "") in shelves(hand))
    hand.press("Alt+Down")
    hand.until(lambda: [n for n, _ in shelves(hand)].index("Freight") == 5)
    go_to(page, "All templates")
    hand.press("Alt+Down", "Alt+Right", "F2", "Delete")
    assert page.shelves.key == "all", "the lists stay where they are"


def test_a_shelf_is_renamed_and_taken_down(hand: Hand, page: LibraryPage) -> None:
    go_to(page, "Freight")
    hand.press("F2")
    hand.press("Ctrl+A")
    hand.type("Lorries")
    hand.press("Return")
    hand.until(lambda: ("Lorries", "") in shelves(hand))
    page.shelves.setFocus()
    hand.press("Delete")
    hand.until(lambda: "Something stands on this shelf" in hand.said)
    page.acts.move_to(hand.session.shared.catalogue.shelves[0], ["freight-papers", "freight-space"])
    hand.until(lambda: template(hand, "freight-space").shelf == "sailings")
    hand.press("Delete")
    hand.until(lambda: "“Lorries” is taken down" in hand.said)
    hand.until(lambda: ("Lorries", "") not in shelves(hand))


def test_templates_are_dropped_on_a_shelf(hand: Hand, page: LibraryPage) -> None:
    select(page, "refund-agreed", "other-day")
    data = page.table.model().mimeData(page.table.selectionModel().selectedRows())
    where = page.shelves.visualItemRect(item(page, "Freight")).center()
    drop = QDropEvent(
        QPointF(where),
        Qt.DropAction.MoveAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    page.shelves.dropEvent(drop)
    hand.until(lambda: template(hand, "other-day").shelf == "freight")
    assert template(hand, "refund-agreed").shelf == "freight"
    hand.until(lambda: "2 templates are moved to “Freight”" in hand.said)
    hand.click(hand.window.notices.action)
    hand.until(lambda: template(hand, "other-day").shelf == "bookings")
    assert template(hand, "refund-agreed").shelf == "refunds"


def test_a_shelf_is_dropped_above_another_and_onto_one(hand: Hand, page: LibraryPage) -> None:
    def drop(on: str, part: float) -> None:
        rect = page.shelves.visualItemRect(item(page, on))
        where = QPointF(rect.center().x(), rect.top() + part * rect.height())
        nothing, data = Qt.KeyboardModifier.NoModifier, QMimeData()
        drop = QDropEvent(where, Qt.DropAction.MoveAction, data, Qt.MouseButton.LeftButton, nothing)
        page.shelves.dropEvent(drop)

    go_to(page, "Freight")
    drop("Bookings", 0.1)
    hand.until(
        lambda: [name for name, _ in shelves(hand)][:3] == ["Sailings", "Freight", "Bookings"]
    )
    drop("Refunds", 0.95)
    hand.until(lambda: [n for n, _ in shelves(hand)][2:4] == ["Refunds", "Freight"])
    drop("Refunds", 0.5)
    hand.until(lambda: ("Freight", "refunds") in shelves(hand))
    go_to(page, "Refunds")
    before = shelves(hand)
    drop("Freight", 0.5)
    drop("All templates", 0.5)
    assert shelves(hand) == before, "a shelf never comes to stand on itself, nor among the lists"


# Several at once


def test_several_are_pinned_moved_copied_and_retired(hand: Hand, page: LibraryPage) -> None:
    keys = ("claim-received", "claim-settled", "lost-property")
    select(page, *keys)
    assert page.acts.count.text() == "3 templates:"
    hand.press("Ctrl+P")
    assert hand.session.shared.own.pinned == set(keys)
    hand.until(lambda: titles(page.table)[0].endswith("·  pinned"))
    assert set(page.table.keys) == set(keys), "they stay selected"
    hand.press("Ctrl+M")
    choose_in_menu("Freight")
    hand.until(lambda: {template(hand, key).shelf for key in keys} == {"freight"})
    hand.press("Ctrl+Shift+D")
    choose_in_menu("Refunds")
    hand.until(lambda: len(hand.session.shared.catalogue.templates) == 43)
    copied = [
        t for t in hand.session.shared.catalogue.templates.values() if t.title.endswith("(copy)")
    ]
    assert {t.shelf for t in copied} == {"refunds"} and not any(t.origin for t in copied)
    hand.press("Ctrl+Shift+P")
    hand.until(lambda: all(template(hand, key).pinned for key in keys))
    hand.press("Ctrl+Delete")
    hand.until(lambda: {template(hand, key).state for key in keys} == {"retired"})
    hand.until(lambda: "3 templates are retired: they are kept" in hand.said)
    hand.until(lambda: page.shelves.findItems("Retired", Qt.MatchFlag.MatchExactly))
    go_to(page, "Retired")
    hand.until(lambda: len(titles(page.table)) == 3)
    page.table.setFocus()
    hand.press("Ctrl+A", "Ctrl+Delete")
    hand.until(lambda: {template(hand, key).state for key in keys} == {"in use"})


def test_pins_of_one_s_own_outlive_the_window(hand: Hand, page: LibraryPage) -> None:
    page.table.choose("claim-received")
    page.table.setFocus()
    hand.press("Ctrl+P")
    hand.session.operations.run(lambda: None, lambda _: None, hand.session.voice.fail)
    hand.until(lambda: hand.session.shared.stores.read_all(NOW, "m1").pinned == {"claim-received"})
    hand.press("Ctrl+P")
    hand.until(lambda: not hand.session.shared.stores.read_all(NOW, "m1").pinned)


# Narrowing and finding


def test_kinds_of_case_and_keywords_narrow_the_list(hand: Hand, page: LibraryPage) -> None:
    view = page.view
    view.kind.setCurrentIndex(view.kind.findText("refund"))
    assert len(titles(page.table)) == 5
    view.keyword.setCurrentIndex(view.keyword.findText("bank"))
    assert (
        titles(page.table) == ["Refund is on its way", "Refund: bank details needed"]
        or len(titles(page.table)) == 2
    )
    view.kind.setCurrentIndex(0)
    view.keyword.setCurrentIndex(0)
    assert len(titles(page.table)) == 40


def test_kinds_and_keywords_are_set_in_the_editor(hand: Hand, page: LibraryPage) -> None:
    page.edit("way-to-the-port")
    found_by = page.editor.found_by
    assert found_by.keywords[:2] == ("way", "parking")
    found_by_before = found_by.keywords
    found_by.keyword_field.setFocus()
    hand.press("End")
    hand.type(", lorry park ,, way")
    found_by.add.setCurrentIndex(found_by.add.findText("boarding help"))
    found_by.add.activated.emit(found_by.add.currentIndex())
    hand.put_in_use("Found by more words")
    hand.until(lambda: template(hand, "way-to-the-port").edition == 2)
    content = template(hand, "way-to-the-port").content
    assert content.keywords == (*found_by_before, "lorry park")
    assert content.kinds == ("boarding help",)
    hand.press("Esc")
    search = hand.session.shared.search
    hand.until(lambda: search.templates("lorry park").keys[:1] == ["way-to-the-port"])


def test_typing_mistakes_are_forgiven_and_matches_shown(hand: Hand, page: LibraryPage) -> None:
    hand.type("refnud agred")
    assert page.table.key == "refund-agreed"
    found = page.table.model().index(0, 0).data(MATCHES)
    assert list(found.title) == [(0, 6), (7, 13)] and not found.excerpt
    page.find_field.clear()
    page.table.setFocus()
    hand.type("rembousement")
    assert "refund-agreed" in page.table.model().keys  # type: ignore[attr-defined]
    found = page.table.model().index(0, 0).data(MATCHES)
    words = [found.excerpt[start:end].lower() for start, end in found.spans]
    assert "remboursement" in words and found.excerpt.startswith("keywords: ")
    hand.type(" zzzzz")
    assert "these have the telling ones" in page.view.nothing.text()
    assert all("not all words" in title for title in titles(page.table))
    page.find_field.selectAll()
    hand.type("zzzzz")
    assert page.view.nothing.isVisible() and not titles(page.table)
    hand.until(lambda: not page.pane.content.isVisible())
    hand.press("Esc")
    assert not page.view.nothing.isVisible()
    page.table.grab()


def test_used_lately_and_used_most(hand: Hand, page: LibraryPage) -> None:
    go_to(page, "Used most")
    assert titles(page.table) == []
    go_to(page, "All templates")
    page.table.setFocus()
    hand.type("confirmation")
    hand.press("Return")
    hand.type("haldane")
    hand.press("Return", "Ctrl+Return")
    hand.sent_all()
    hand.press("Alt+3")
    page.find_field.clear()
    for words in ("Used most", "Used lately by me"):
        go_to(page, words)
        hand.until(lambda: titles(page.table) == ["Booking confirmation sent again"])


# One's own


def test_an_own_version_follows_its_original(hand: Hand, page: LibraryPage, home: Home) -> None:
    page.table.choose("claim-received")
    hand.click(page.pane.own.make_button)
    hand.until(lambda: any(t.origin for t in hand.session.shared.catalogue.templates.values()))
    (mine,) = [t for t in hand.session.shared.catalogue.templates.values() if t.origin]
    assert (mine.shelf, mine.origin_edition) == (MINE, 1)
    hand.press("Ctrl+Alt+M")
    assert "is on your shelf already" in hand.said
    go_to(page, "My shelf")
    hand.until(lambda: titles(page.table) == [template(hand, "claim-received").title])
    assert not page.pane.own.moved.isVisible()
    library = open_library(home.library_file)
    was = template(hand, "claim-received")
    body = was.first_text.body
    text = body.replace("Kind regards", "Yours sincerely") + "<p>One more thing.</p>\n"
    from msgspec.structs import replace

    texts = was.content.texts | {"en_GB": replace(was.first_text, body=text)}
    content = replace(was.content, texts=texts)
    library.save_edition(was.id, was.title, content, author="", note="more", made=NOW)
    library.close()
    hand.until(page.pane.own.moved.isVisible)
    assert "has moved on: edition 2 is in use" in page.pane.own.moved_on.text()
    hand.click(page.pane.own.take_button)
    hand.until(lambda: page.is_editing)
    assert "One more thing." in page.editor.body.toPlainText()
    assert "What is new in the original is in your version" in hand.said
    hand.put_in_use("As the original")
    hand.until(lambda: template(hand, mine.id).edition == 2)
    hand.press("Esc")
    hand.until(lambda: template(hand, mine.id).origin_edition == 2)
    assert not page.pane.own.moved.isVisible()


def test_a_private_template_is_offered_to_the_team(hand: Hand, page: LibraryPage) -> None:
    go_to(page, "My shelf")
    hand.press("Ctrl+Shift+N")
    hand.until(lambda: page.is_editing)
    hand.type("Ferry biscuits")
    page.editor.lines["subject"].setFocus()
    hand.type("Biscuits")
    page.editor.body.setFocus()
    hand.type("They are nice.")
    hand.put_in_use()
    mine = page.editor.template
    hand.until(lambda: template(hand, mine).edition == 1)
    hand.press("Esc")
    assert page.table.key == mine and template(hand, mine).shelf == MINE
    hand.press("Ctrl+Alt+G")
    own = page.pane.own
    assert hand.focus is own.reason
    hand.press("Return")
    assert "Say in one line why" in hand.said
    hand.type("Everybody asks")
    own.shelf.setCurrentIndex(own.shelf.findText("Bookings"))
    hand.press("Return")
    hand.until(lambda: hand.session.shared.catalogue.proposals)
    (made,) = hand.session.shared.catalogue.proposals.values()
    assert (made.shelf, made.base, made.title) == ("bookings", 0, "Ferry biscuits")
    hand.press("Ctrl+Alt+P")
    hand.until(page.proposals.accept_button.isVisible)
    hand.click(page.proposals.accept_button)
    hand.until(lambda: made.template in hand.session.shared.catalogue.templates)
    assert template(hand, made.template).shelf == "bookings"


def test_esc_leaves_an_offer_and_the_mouse_reaches_all(hand: Hand, page: LibraryPage) -> None:
    page.table.choose("claim-received")
    hand.click(page.pane.own.make_button)
    go_to(page, "My shelf")
    hand.until(lambda: titles(page.table))
    hand.click(page.pane.own.offer_button)
    own = page.pane.own
    assert own.shelf.currentText() == "Claims and complaints" and not own.shelf.isEnabled()
    hand.press("Esc")
    assert not own.isVisible() and hand.focus is own.offer_button
    assert page.shelves.visualItemRect(item(page, "Freight")).center() != QPoint()


def test_a_template_that_moves_while_others_look_keeps_the_selection(
    hand: Hand, page: LibraryPage, home: Home, qtbot: QtBot
) -> None:
    select(page, "claim-received", "claim-settled")
    library = open_library(home.library_file)
    with qtbot.waitSignal(hand.session.shared.changed):
        library.set_template("lost-property", pinned=True)
    library.close()
    assert set(page.table.keys) == {"claim-received", "claim-settled"}

"""The window as a whole: find, places, help, profile, names, colours, first start."""

import gc
import shutil
import sys
import time
import weakref
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from msgspec.structs import replace as with_
from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QAction, QShortcutEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QSpinBox,
    QTabBar,
    QTableView,
    QTextEdit,
    QWidget,
)
from pytestqt.qtbot import QtBot

from nebbet.desktop import application
from nebbet.desktop.kit import theme
from nebbet.desktop.kit.help_box import keys_at
from nebbet.desktop.kit.operations import Operations
from nebbet.desktop.kit.place import Place
from nebbet.desktop.shelves.page import LibraryPage
from nebbet.desktop.window import Window
from nebbet.personal.home import Home, home_in
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import read_settings
from nebbet.standin.service import MailService
from tests.conftest import NOW
from tests.desktop.conftest import Hand, close, open_window, template, wait_until_open

# Finding


def test_one_field_finds_everything(hand: Hand) -> None:
    hand.press("Ctrl+F")
    hand.type("refund")
    choices = hand.window.find_field.list
    texts = [choices.item(row).text() for row in range(choices.count())]
    assert "Templates" in texts
    assert "Refund agreed" in texts
    assert "LS-48260" in texts
    hand.press("Return")
    assert hand.window.place is hand.window.library
    assert hand.window.library.table.key == "refund-agreed"


def test_finding_a_person_shows_them_and_return_begins_a_letter(hand: Hand) -> None:
    hand.press("Ctrl+F")
    hand.type("brannig")
    hand.press("Return")
    assert hand.window.people.view.person_view.title.text() == "Aoife Brannigan"
    hand.press("Return")
    assert hand.window.letters.pull_box.isVisible()
    letter = hand.window.letters.model.letter
    assert letter is not None
    assert letter.recipient is not None
    assert letter.recipient.first_name == "Aoife"
    assert letter.case is not None
    assert letter.case.number == "LS-48260"


def test_finding_a_case_shows_it_and_return_begins_a_letter_about_it(hand: Hand) -> None:
    hand.press("Ctrl+F")
    hand.type("gr-0612")
    hand.press("Return", "Return")
    hand.type("group")
    hand.press("Return")
    assert "46" in hand.window.letters.paper.body.toPlainText()


# Help and keys


def test_every_place_tells_its_keys(hand: Hand) -> None:
    for place in hand.window.places:
        hand.window.go(place)
        hand.press("F1")
        assert hand.window.help_box.isVisible()
        assert hand.window.help_box.title.text() == place.title
        assert keys_at(place)
        hand.press("Esc")
        assert not hand.window.help_box.isVisible()


def test_every_key_that_help_names_does_one_thing(hand: Hand) -> None:
    """Each key that F1 lists is pressed where it is said to work, and does that and nothing else;
    there is no other action with a key."""
    hand.window.letters.new_letter()
    hand.window.library.edit("refund-agreed")
    inner = pages_of(hand.window.library)
    shown = [(place, place) for place in (*hand.window.places, hand.window.profile)]
    shown += [(hand.window.library, page) for page in inner]
    for place, page in shown:
        hand.window.go(place)
        if page is not place:
            hand.window.library._pages.go(page)
        listed = [action for group in keys_at(place).values() for action in group]
        assert listed
        for action in listed:
            owner = next(w for w in action.associatedObjects() if w.isVisible())
            with asked_in_vain(hand.window) as asked:
                owner.setFocus()
                hand.press(action.shortcut().toString())
            assert asked == [(action.text(), False)], (page.title, action.shortcut().toString())


@contextmanager
def asked_in_vain(window: Window) -> Iterator[list[tuple[str, bool]]]:
    """Actions only tell that their key came, and whether it could have meant another."""
    asked: list[tuple[str, bool]] = []

    class Ear(QObject):
        def eventFilter(self, watched: QObject, event: QEvent) -> bool:
            if isinstance(event, QShortcutEvent) and isinstance(watched, QAction):
                asked.append((watched.text(), event.isAmbiguous()))
                return True
            return False

    ear = Ear()
    actions = window.findChildren(QAction)
    for action in actions:
        action.installEventFilter(ear)
    yield asked
    for action in actions:
        action.removeEventFilter(ear)


def pages_of(library: LibraryPage) -> list[Place]:
    return [
        library.editor,
        library.facts,
        library.passages,
        library.frames,
        library.history,
        library.states,
        library.proposals,
        library.files,
        library.members,
    ]


# Names for screen readers


_CONTROLS = (
    QAbstractButton,
    QLineEdit,
    QTextEdit,
    QPlainTextEdit,
    QComboBox,
    QAbstractItemView,
)
_INNER = ("qt_spinbox_lineedit", "qt_scrollarea_viewport")


def test_every_control_has_a_name(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.type("boarding")
    hand.press("Return")
    hand.type("osgath")
    hand.press("Return")
    hand.window.library.edit("boarding-help")
    assert len(pages_of(hand.window.library)) == 9, "all pages are made"
    assert hand.window.profile and hand.window.register
    nameless = [
        f"{type(control).__name__} in {_path(control)}"
        for control in hand.window.findChildren(QWidget)
        if isinstance(control, _CONTROLS) and not control.accessibleName() and _is_ours(control)
    ]
    assert not nameless, "\n".join(nameless)


def _path(widget: QWidget) -> str:
    names = []
    parent = widget.parentWidget()
    while parent is not None:
        names.append(type(parent).__name__)
        parent = parent.parentWidget()
    return " < ".join(names)


def _is_ours(control: QWidget) -> bool:
    """Whether a control is one that Nebbet made, and not a part of one."""
    if isinstance(control, QHeaderView) or control.objectName() in _INNER:
        return False
    parent = control.parentWidget()
    while parent is not None:
        if isinstance(parent, (QComboBox, QTableView, QLineEdit, QTabBar, QSpinBox)):
            return False
        parent = parent.parentWidget()
    return True


# Colours


def luminance(colour: str) -> float:
    """WCAG 2.2, definition of relative luminance."""
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one: str, other: str) -> float:
    """WCAG 2.2 §1.4.3, contrast ratio."""
    high, low = sorted((luminance(one), luminance(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def test_the_formula_gives_the_published_pairs() -> None:
    """Published: #767676 on white is 4.54:1, #777777 is 4.48:1."""
    assert round(contrast("#767676", "#FFFFFF"), 2) == 4.54
    assert round(contrast("#777777", "#FFFFFF"), 2) == 4.48


@pytest.mark.parametrize("look", [theme.LIGHT, theme.DARK], ids=["light", "dark"])
def test_text_can_be_read_and_edges_seen(look: theme.Tokens) -> None:
    """WCAG 2.2 AA: 4.5:1 for text (§1.4.3), 3:1 for the edges of controls (§1.4.11)."""
    grounds = (look.desk, look.panel, look.field, look.chosen)
    for ground in grounds:
        for text in (look.ink, look.faint):
            assert contrast(text, ground) >= 4.5, (text, ground)
    for ground in (look.desk, look.panel, look.field):
        for text in (look.plum, look.spruce, look.brick, look.slate, look.ochre_edge):
            assert contrast(text, ground) >= 4.5, (text, ground)
    assert contrast(look.ochre_text, look.ochre_ground) >= 4.5
    assert contrast(look.on_plum, look.plum) >= 4.5
    assert contrast(look.ochre_edge, look.ochre_ground) >= 3


def test_the_look_is_chosen_and_kept(hand: Hand) -> None:
    window = hand.window
    hand.click(window.person)
    window.profile.look.setCurrentIndex(2)
    hand.press("Ctrl+S")
    hand.until(lambda: theme.tokens() is theme.DARK)
    assert read_settings(hand.session.parts.home.settings_file).look == "dark"
    window.profile.look.setCurrentIndex(0)
    hand.press("Ctrl+S")
    hand.until(lambda: theme.tokens() is theme.LIGHT)


# Profile


def test_the_profile_is_kept_and_used(hand: Hand) -> None:
    profile = hand.window.profile
    hand.click(hand.window.person)
    profile.fields["phone"].selectAll()
    profile.fields["phone"].setFocus()
    hand.type("01632 960 999")
    profile.fields["email"].setText("nonsense")
    hand.press("Ctrl+S")
    assert "“nonsense” is not a mail address: there is no @ in it" in profile.told.text()
    profile.fields["email"].setText("benedek.roy@lislesound.example")
    hand.press("Ctrl+S")
    hand.until(lambda: hand.session.shared.me and hand.session.shared.me.phone == "01632 960 999")
    profile.mailboxes.folders.setText("INBOX,  Team/Übersicht ,")
    profile.mailboxes.tls["imap_tls"].setCurrentIndex(2)
    hand.press("Ctrl+S")
    hand.until(lambda: hand.session.settings.account.folders == ("INBOX", "Team/Übersicht"))
    kept = read_settings(hand.session.parts.home.settings_file).account
    assert kept.folders == ("INBOX", "Team/Übersicht") and kept.imap_tls == "starttls"
    profile.mailboxes.folders.setText("")
    hand.press("Ctrl+S")
    hand.until(lambda: hand.session.settings.account.folders == ())
    hand.click(profile.try_button)
    hand.until(lambda: "can be reached" in profile.told.text())
    profile.password.setText("wrong")
    hand.click(profile.try_button)
    hand.until(lambda: "does not accept the password" in profile.told.text())


def test_the_first_start_asks_who_one_is(tmp_path: Path, qtbot: QtBot) -> None:
    instance = QApplication.instance()
    assert isinstance(instance, QApplication)
    theme.apply(instance)
    window = Window(application.make_parts(home_in(tmp_path / "new"), SessionSecrets()))
    window.show()
    wait_until_open(window)
    assert window.place is window.first_start
    window.first_start.by_hand.emit()  # whoever knows better fills everything in
    assert window.place is window.profile
    window.profile.fields["first_name"].setText("Ada")
    window.profile.fields["email"].setText("ada@engine.example")
    window.profile.save()
    qtbot.waitUntil(lambda: window.session.shared.me is not None, timeout=20_000)
    assert window.session.shared.me is not None
    assert window.session.shared.me.name == "Ada"
    assert window.session.settings.member == "ada@engine.example"
    close(window)


# The register


def test_the_register_of_somebody_else_s_letter(hand: Hand) -> None:
    from nebbet.library.entries import Registered
    from tests.conftest import NOW

    entry = Registered("<x@y>", NOW, "ottilie.marsh", "a@b.example", "Ana", subject="Hello")
    hand.session.shared.library.record([entry])
    hand.session.shared.refresh()
    hand.until(lambda: hand.session.shared.entries)
    hand.press("Alt+5")
    hand.press("Return", "Return")
    told = hand.window.register.told
    hand.until(lambda: "was sent by somebody else" in told.text())
    hand.window.register.find_field.setText("nothing like it")
    hand.until(lambda: "Nothing has gone out yet, or nothing matches." in told.text())


# A library that cannot be opened


def test_with_a_library_that_is_none_the_window_stands_and_another_can_be_chosen(
    home: Home, service: MailService, qtbot: QtBot, tmp_path: Path
) -> None:
    whole = tmp_path / "elsewhere.sqlite"
    shutil.move(home.library_file, whole)
    home.library_file.write_text("a shopping list")
    window = open_window(home)
    hand = Hand(window, qtbot, service)
    assert window.place is window.profile
    assert "library.sqlite is not a Nebbet library. The file was not touched." in hand.said
    assert window.library_state.text() == "Library not open"
    hand.press("Ctrl+N")
    window.letters.paper.body.setFocus()
    hand.type("Kept all the same")
    hand.click(window.person)
    window.profile.library.setText(str(whole))
    window.profile.library.setFocus()
    hand.press("Ctrl+S")
    hand.until(lambda: "opened when Nebbet is started again" in hand.said)
    close(window)
    assert home.library_file.read_text() == "a shopping list"
    again = open_window(home)
    assert len(again.session.shared.catalogue.templates) == 40
    (letter,) = again.session.letters.held.values()
    assert "Kept all the same" in repr(letter.body)
    close(again)


# The ground


def test_the_bindings_do_not_use_up_none(qtbot: QtBot) -> None:
    """PySide6 6.12.0 on Python 3.11 takes a reference of None away with every call that returns
    nothing; after some thousand calls the program would end at once. Such a version is not used."""
    label = QLabel()
    before = sys.getrefcount(None)
    for _ in range(500):
        label.setText("x")
    assert sys.getrefcount(None) > before - 250


@pytest.mark.logs
def test_a_bug_in_the_background_is_told_in_one_sentence(qtbot: QtBot) -> None:
    operations = Operations()
    told: list[str] = []
    operations.run(lambda: 1 / 0, lambda _r: None, lambda error: told.append(error.sentence))
    qtbot.waitUntil(lambda: bool(told), timeout=10_000)
    assert told == [
        "Something in Nebbet itself went wrong. What you typed is kept. "
        "Try again; the details are in the log."
    ]
    operations.finish()


def test_changes_that_come_at_once_are_all_found(hand: Hand) -> None:
    """Each is indexed by what it says has changed; none may be left out in between."""
    search, catalogue = hand.session.shared.search, hand.session.shared.catalogue
    known = template(hand)
    for number in range(3):
        made = with_(known, id=f"new{number}", title=f"Xylophone {number}")
        catalogue = with_(catalogue, templates={**catalogue.templates, made.id: made})
        search.renew(catalogue, [], frozenset(), NOW)
    time.sleep(0.5)  # the window is busy meanwhile, and hears of all of them at once
    hand.until(lambda: sorted(search.templates("xylophone").keys) == ["new0", "new1", "new2"])


def test_work_is_done_in_order(qtbot: QtBot) -> None:
    operations = Operations()
    done: list[int] = []
    for number in range(20):
        operations.run(lambda n=number: n, done.append, lambda _e: None)
    qtbot.waitUntil(lambda: len(done) == 20, timeout=10_000)
    assert done == list(range(20))
    operations.finish()


def test_a_closed_window_leaves_nothing_behind(
    home: Home, service: MailService, qtbot: QtBot
) -> None:
    before = Counter(type(widget).__name__ for widget in QApplication.allWidgets())
    window = open_window(home)
    held = [weakref.ref(one) for one in (window, window.session, window.letters, window.library)]
    window.library.edit("refund-agreed")
    close(window)
    del window
    gc.collect()
    assert [one() for one in held] == [None] * 4
    left = Counter(type(widget).__name__ for widget in QApplication.allWidgets())
    assert not left - before


def test_the_profile_shows_what_was_kept_and_a_second_keep_changes_nothing(hand: Hand) -> None:
    hand.window.go(hand.window.profile)
    phone = hand.window.profile.fields["phone"]
    phone.setFocus()
    hand.press("Ctrl+A")
    hand.type("01632 960 999")
    hand.press("Ctrl+S")
    assert phone.text() == "01632 960 999"
    hand.press("Ctrl+S")
    hand.until(lambda: hand.session.shared.me and hand.session.shared.me.phone == "01632 960 999")
    hand.bot.wait(200)
    assert hand.session.shared.me is not None
    assert hand.session.shared.me.phone == phone.text() == "01632 960 999"


def test_the_window_has_the_size_that_it_had(hand: Hand, tmp_path: Path) -> None:
    instance = QApplication.instance()
    assert isinstance(instance, QApplication)
    hand.window.resize(900, 650)
    kept = tmp_path / "window"
    kept.write_bytes(hand.window.saveGeometry().data())
    hand.window.resize(900, 720)
    application._stand_where_it_stood(instance, hand.window, kept)
    assert (hand.window.width(), hand.window.height()) == (900, 650)
    application._stand_where_it_stood(instance, hand.window, tmp_path / "none")
    assert (hand.window.width(), hand.window.height()) == (900, 650)


def test_the_first_window_fits_a_small_screen(hand: Hand) -> None:
    room = hand.window.screen().availableGeometry()
    assert hand.window.height() < min(800, room.height())


def test_a_case_number_comes_first_in_the_find_field(hand: Hand) -> None:
    hand.press("Ctrl+F")
    hand.type("gr-0612")
    found = hand.window.find_field.list
    assert found.key == "case:gr-0612"
    hand.press("Esc", "Ctrl+F")
    hand.type("zzqqxx")
    assert found.item(0).text() == "Nothing is found."


def test_background_work_keeps_nothing_of_what_it_did(qtbot: QtBot) -> None:
    """What a call knows ends with it, whatever Qt's binding keeps: a catalogue for each would fill
    the memory in a day."""

    class Known:
        pass

    operations, answered, held = Operations(), list[object](), list[weakref.ref[Known]]()
    for number in range(20):
        known = Known()
        held.append(weakref.ref(known))
        operations.run(lambda known=known: known is None, answered.append, answered.append)
        del known
        qtbot.waitUntil(lambda so_far=number: len(answered) > so_far, timeout=5000)
    operations.finish()
    assert not [one for one in held if one() is not None]

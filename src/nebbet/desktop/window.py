"""The window: the band with its places, the pages, the notice strip, help."""

from collections.abc import Callable
from functools import cached_property, partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QAction, QCloseEvent, QKeySequence
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.help_box import HelpBox
from nebbet.desktop.kit.notices import Foot, NoticeStrip
from nebbet.desktop.kit.operations import Operations
from nebbet.desktop.kit.picker import Picker
from nebbet.desktop.letters.blank import Blank
from nebbet.desktop.places import Places
from nebbet.desktop.session.parts import Parts

if TYPE_CHECKING:
    from nebbet.desktop.session.session import Session

_TITLE_BAR = 34  # pixels that the desktop draws above a window
_PATIENCE = 1.5  # seconds that the window waits for what is being kept
_KEYS = "F1  what this place is for, and its keys      Ctrl+F  find everywhere"
# The places of the band with their numbers: those of all six; upkeep (6) is not built yet.
_PLACES = {
    "letters": ("Letters", 1),
    "people": ("People", 2),
    "library": ("Library", 3),
    "rounds": ("Rounds", 4),
    "register": ("Register", 5),
}


class Window(Places):
    """The one window of Nebbet. session_made hands over what all places share, once the program has
    been loaded; opened tells that the files have been read, not_opened why they cannot be."""

    session_made = Signal(object)
    opened = Signal()
    not_opened = Signal(object)

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.setWindowTitle("Nebbet")
        self._parts = parts
        self.notices = NoticeStrip()
        self._stack = QStackedWidget()
        self._blank = Blank(self._new_letter, self._pull)
        self._stack.addWidget(self._blank)
        self.find_field = Picker("Find", prompt="Find (Ctrl+F)", ask=self._offer)
        self._lay_out()
        self.help_box = HelpBox(self)
        self._add_keys()
        self._loads = Operations(self)
        theme.choose(parts.settings.look)
        room = self.screen().availableGeometry()
        self.resize(min(1280, room.width()), min(800, room.height() - _TITLE_BAR))
        self.setMinimumSize(900, 600)
        self.place_buttons["letters"].setChecked(True)
        QTimer.singleShot(0, self, self._load)

    # Coming alive: the window is there before most of the program has been loaded

    def _load(self) -> None:
        def load() -> None:
            import nebbet.desktop.letters.page
            import nebbet.desktop.session.session  # noqa: F401 - loading is what this is for

        self._loads.run(load, lambda _done: self._open(), self.notices.fail)

    def _open(self) -> None:
        if self.place is self._blank:
            self.go(self.letters)
        self._show_outbox()
        self.session.open()

    def _new_letter(self) -> None:
        self.go(self.letters)
        self.letters.new_letter()

    def _pull(self) -> None:
        self.go(self.letters)
        self.letters.pull()

    @cached_property
    def session(self) -> "Session":
        """What all places share."""
        from nebbet.desktop.session.session import Session

        made = Session(self._parts, self.notices, self)
        made.opened.connect(self._welcome)
        made.not_opened.connect(self.not_opened)
        made.sending.changed.connect(self._show_outbox)
        made.settings_changed.connect(self._take_settings)
        made.following.reach_changed.connect(self._show_reach)
        made.following.profile_wanted.connect(lambda: self.go(self.profile))
        made.shared.changed.connect(self._show_outbox)
        made.shared.changed.connect(self._show_reach)
        made.sending.taken_back.connect(lambda _id: self.go(self.letters))
        self.session_made.emit(made)
        return made

    @property
    def is_open(self) -> bool:
        """Whether the files have been read."""
        return "session" in self.__dict__ and self.session.shared.is_open

    def _welcome(self) -> None:
        """The files are open: go to where work begins, or ask a new person who they are."""
        if self.session.shared.me is None:
            fresh = not self.session.settings.account.user and not self.session.following.state
            self.go(self.first_start if fresh else self.profile)
        elif self.place is self.letters:
            self.letters.arrive()
        self.opened.emit()

    # Layout

    def _lay_out(self) -> None:
        middle = QWidget()
        pieces.fill(
            QVBoxLayout(middle),
            self._band(),
            pieces.rule(),
            self._stack,
            Foot(self.notices, _KEYS),
            spacing=0,
        )
        self.setCentralWidget(middle)

    def _band(self) -> QWidget:
        band = QWidget()
        band.setObjectName("band")
        band.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        wordmark = pieces.label("Nebbet")
        wordmark.setFont(theme.serif_font(19))
        wordmark.setStyleSheet("padding: 0 18px 2px 6px;")
        self.place_buttons: dict[str, QPushButton] = {}
        for key, (title, number) in _PLACES.items():
            made = pieces.button(title, partial(self.go_to, key), "place")
            made.setCheckable(True)
            made.setToolTip(f"Alt+{number}")
            self.place_buttons[key] = made
        self.find_field.setMaximumWidth(300)
        self.find_field.setMinimumWidth(180)
        self.outbox_state = pieces.label("", "note")
        self.library_state = pieces.label("", "doubt")
        self.library_state.hide()
        self.person = pieces.button("", lambda: self.go(self.profile), "words", "Your profile")
        places = pieces.row(*self.place_buttons.values(), spacing=18)
        layout = QHBoxLayout(band)
        pieces.fill(
            layout,
            wordmark,
            places,
            None,
            self.find_field,
            self.library_state,
            self.outbox_state,
            self.person,
            spacing=14,
        )
        layout.setContentsMargins(10, 0, 12, 0)
        layout.setStretchFactor(self.find_field, 2)
        self.find_field.picked.connect(self._found)
        return band

    def _add_keys(self) -> None:
        for key, (title, number) in _PLACES.items():
            self._key(f"Go to {title}", f"Alt+{number}", partial(self.go_to, key))
        self._key("New letter", "Ctrl+N", self._new_letter)
        self._key("Find everywhere", "Ctrl+F", self.find_field.setFocus)
        self._key("Help for this place", "F1", self.show_help)
        self._key("Keys of this place", "Ctrl+/", self.show_help)
        self._key("Close the message at the foot", "Ctrl+.", self.notices.hide)
        self._key("Quit", "Ctrl+Q", self.close)

    def _key(self, words: str, keys: str, act: Callable[[], object]) -> None:
        action = QAction(words, self)
        action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _checked=False: act())
        self.addAction(action)

    def show_help(self) -> None:
        """Show what this place is for and its keys."""
        self.help_box.open_for(self.place)

    def _take_settings(self) -> None:
        theme.choose(self.session.settings.look)
        self._show_outbox()

    def _show_reach(self) -> None:
        """Say which library one works on, where it is not the one on the server."""
        words = self.session.following.state
        self.library_state.setText(words)
        hint = words
        if self.session.shared.is_away:
            hint = said("{state}. What waits is handed in when it is back.", state=words)
        self.library_state.setToolTip(theme.plain_hint(hint))
        self.library_state.setVisible(bool(words))

    def _show_outbox(self) -> None:
        outbox = self.session.sending.outbox
        troubled = sum(entry.state in ("refused", "uncertain") for entry in outbox)
        late = any(entry.state == "waiting" for entry in outbox)
        words = f"Outbox {len(outbox)}" if outbox else "Outbox empty"
        trouble = self.session.sending.trouble
        if trouble:
            words = "Outbox is stuck"
        elif troubled:
            words += f", {troubled} need you"
        elif late:
            words += ", mail server not reached"
        self.outbox_state.setText(words)
        self.outbox_state.setObjectName("stop" if trouble or troubled or late else "note")
        self.outbox_state.setToolTip(theme.plain_hint(trouble))
        self.outbox_state.style().polish(self.outbox_state)
        me = self.session.shared.me
        self.person.setText(me.name if me else "Who are you?")
        self.person.setAccessibleName(f"Profile: {self.person.text()}")

    def closeEvent(self, event: QCloseEvent) -> None:
        """Keep everything; letters that are held go at the next start, and the person is told."""
        held = [e for e in self.session.sending.outbox if e.state in ("held", "waiting", "sending")]
        if held and not self.notices.ask(
            "Letters are still in the outbox",
            "One letter has not gone yet. It goes when Nebbet is started again."
            if len(held) == 1
            else f"{len(held)} letters have not gone yet. They go when Nebbet is started again.",
            "Quit",
        ):
            event.ignore()
            return
        self.place.gone()
        if "library" in self.__dict__ and self.session.shared.is_open:
            self.library.leave()
        wrong = self.session.keep(_PATIENCE)
        if wrong and not self.notices.ask(
            "What you wrote last could not be kept", wrong[0].sentence, "Quit all the same"
        ):
            event.ignore()
            return
        event.accept()
        if "rounds" in self.__dict__:
            self.rounds.end()
        self.hide()  # at once; what is under way ends behind it
        self.session.close()

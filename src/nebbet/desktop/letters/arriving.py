"""Arrived messages in the place Letters: the page that shows them, and its keys."""

from collections.abc import Callable
from functools import cached_property

from PySide6.QtWidgets import QStackedWidget, QWidget

from nebbet.desktop.letters.answering import Answering
from nebbet.desktop.letters.arrived_view import ArrivedView
from nebbet.desktop.session.session import Session

Act = Callable[[ArrivedView], object]
KEYS: tuple[tuple[str, str, Act], ...] = (
    ("Answer", "Ctrl+R", ArrivedView.answer_one),
    ("Answer all", "Ctrl+Shift+Y", ArrivedView.answer_all),
    ("Hand on", "Ctrl+Alt+W", ArrivedView.hand_it_on),
    ("Take the message, or give it back", "Ctrl+Alt+M", ArrivedView.take),
    ("Whoever wrote the message", "Ctrl+Alt+I", ArrivedView.show_writer),
    ("File the message", "Ctrl+Alt+X", ArrivedView.file_away),
    ("The source of the message", "Ctrl+Alt+U", ArrivedView.show_source),
)


class Arriving:
    """Makes the page when it is first needed. show brings a page to the front; person is told whose
    page is wanted, letter which letter of the register."""

    def __init__(
        self,
        session: Session,
        middle: QStackedWidget,
        answering: Answering,
        show: Callable[[QWidget], object],
        person: Callable[[str], object],
        letter: Callable[[str], object],
    ) -> None:
        self._session, self._middle, self._answering = session, middle, answering
        self._show, self._person, self._letter = show, person, letter

    @cached_property
    def view(self) -> ArrivedView:
        """What shows a message."""
        folder = self._session.parts.home.data / "opened"
        view = ArrivedView(self._session.shared, self._session.arrived, folder)
        self._middle.addWidget(view)
        view.answer.connect(self._answering.answer)
        view.hand_on.connect(self._answering.hand_on)
        view.person.connect(self._person)
        view.letter.connect(self._letter)
        view.keep.connect(self._answering.keep_writer)
        return view

    def open_key(self, key: str) -> None:
        """Open a message of the mailbox."""
        if head := self._session.arrived.heads.get(key):
            self._show(self.view)
            self.view.show_head(head)

    def open_file(self, data: bytes, name: str) -> None:
        """Open a message that came as a file."""
        self._show(self.view)
        self.view.show_file(data, name)

    @property
    def is_shown(self) -> bool:
        """Whether a message is at hand."""
        return self._middle.currentWidget() is self.__dict__.get("view")

    def act(self, act: Act) -> None:
        """Do something with the message at hand, if there is one."""
        if self.is_shown:
            act(self.view)

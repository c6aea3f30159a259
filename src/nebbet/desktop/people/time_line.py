"""The letters to a person, or about a case, and what they wrote themselves, on one line of time
and in a list below it."""

from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nebbet.core.message.head import Head
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.entries import Registered

_HIGH = 40  # pixels
_EDGE, _DOT = 8, 3.5
_LEAST = timedelta(days=92)  # that the line shows: a quarter
_REACH = 8  # pixels round a dot in which a click means it
_SHOWN = 200  # letters that the list shows


class TimeLine(QWidget):
    """A hairline with the months, and a dot for each letter. chosen tells a letter's place among
    those that are shown."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(_HIGH)
        theme.named(self, said("Letters over time"))
        self._moments: list[datetime] = []
        self._now = datetime.now().astimezone()
        self._at = -1

    def show_moments(self, moments: Sequence[datetime], now: datetime) -> None:
        """Show letters by the moments they went, newest first."""
        self._moments, self._now, self._at = [*moments], now, -1
        self.setAccessibleDescription(
            counted("1 letter", "{count} letters", count=len(self._moments))
        )
        self.update()

    def mark(self, at: int) -> None:
        """Mark the letter at hand."""
        self._at = at
        self.update()

    def _began(self) -> datetime:
        oldest = min(self._moments, default=self._now)
        return min(oldest - timedelta(days=7), self._now - _LEAST)

    def _x(self, moment: datetime) -> float:
        began = self._began()
        part = (moment - began) / (self._now - began)
        return _EDGE + part * (self.width() - 2 * _EDGE)

    def _months(self) -> list[date]:
        """The first days of the months that are named; of a long time only some."""
        at, found = self._began().date().replace(day=1), list[date]()
        while at <= self._now.date():
            found.append(at)
            at = (at + timedelta(days=32)).replace(day=1)
        step = max(1, -(-len(found) * 56 // max(self.width(), 1)))
        return found[::-1][::step][::-1]

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter, tokens = QPainter(self), theme.tokens()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        line = 14.0
        painter.setPen(QPen(QColor(tokens.rule), 1))
        painter.drawLine(QPointF(_EDGE, line), QPointF(self.width() - _EDGE, line))
        font = painter.font()
        font.setPixelSize(11)
        painter.setFont(font)
        for month in self._months():
            x = self._x(datetime.combine(month, datetime.min.time(), self._now.tzinfo))
            if x < _EDGE:
                continue
            painter.setPen(QPen(QColor(tokens.rule), 1))
            painter.drawLine(QPointF(x, line - 4), QPointF(x, line + 4))
            painter.setPen(QColor(tokens.faint))
            words = f"{month:%b %Y}" if month.month == 1 else f"{month:%b}"
            spot = QRectF(x - 2, line + 7, 60, 16)
            painter.drawText(spot, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, words)
        for index, moment in enumerate(self._moments):
            at = index == self._at
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(tokens.plum if at else tokens.slate))
            size = _DOT + 1.5 if at else _DOT
            painter.drawEllipse(QPointF(self._x(moment), line), size, size)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click on a dot goes to its letter."""
        x = event.position().x()
        near = min(
            range(len(self._moments)), key=lambda i: abs(self._x(self._moments[i]) - x), default=-1
        )
        if near >= 0 and abs(self._x(self._moments[near]) - x) <= _REACH:
            self.chosen.emit(near)


class Letters(QWidget):
    """The line of time with its list. opened tells the message id of a letter to be read, again
    the entry of one to be written once more."""

    opened = Signal(str)
    again = Signal(object)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._rows: list[Registered | Head] = []
        self.line = TimeLine()
        self.heading = pieces.label("", "heading")
        self.list = ChoiceList(said("Letters"))
        self.list.setMinimumHeight(96)
        self.line.chosen.connect(self.list.setCurrentRow)
        self.list.currentRowChanged.connect(self.line.mark)
        self.list.itemActivated.connect(lambda _item: self.opened.emit(self.list.key))
        self._below = QWidget()  # takes the room that the list leaves when there is none
        self.write_again = pieces.button(
            said("Write again like this"), self._again, "words", "Ctrl+Alt+R"
        )
        pieces.fill(
            QVBoxLayout(self),
            pieces.row(self.heading, None, self.write_again),
            self.line,
            self.list,
            self._below,
            spacing=2,
        )

    def show_letters(
        self, entries: Sequence[Registered], *, names: bool, came: Sequence[Head] = ()
    ) -> None:
        """Show letters and what came, newest first; names says whether each letter tells whom it
        went to."""
        now = self._shared.now().astimezone()
        both: list[Registered | Head] = [*entries, *came]
        self._rows = sorted(both, key=_moment, reverse=True)[:_SHOWN]
        self.line.show_moments([_moment(one) for one in self._rows], now)
        rows = [
            _came(one, now) if isinstance(one, Head) else self._choice(one, now, names=names)
            for one in self._rows
        ]
        self.list.show_choices(rows, self.list.key)
        self.heading.setText(_counted(len(entries), len(came)))
        for part in (self.line, self.list, self.write_again):
            part.setVisible(bool(both))
        self._below.setVisible(not both)

    def _choice(self, entry: Registered, now: datetime, *, names: bool) -> Choice:
        member = self._shared.catalogue.members.get(entry.sender)
        sender = member.name if member else entry.sender
        second = said("by {sender}", sender=sender)
        if names:
            second = said("to {name}, by {sender}", name=entry.name or entry.address,
                          sender=sender)  # fmt: skip
        if entry.title:
            second = f"{second} · {entry.title}"
        day = f"{entry.sent.astimezone(now.tzinfo):%d %b %Y}"
        return Choice(entry.message_id, entry.subject or entry.title, second, day)

    @property
    def current(self) -> Registered | None:
        """The letter at hand, or the newest."""
        if 0 <= (row := self.list.currentRow()) < len(self._rows):
            at_hand = self._rows[row]
            return at_hand if isinstance(at_hand, Registered) else None
        return next((one for one in self._rows if isinstance(one, Registered)), None)

    def _again(self) -> None:
        if entry := self.current:
            self.again.emit(entry)


def _moment(one: Registered | Head) -> datetime:
    return one.sent if isinstance(one, Registered) else datetime.fromtimestamp(one.came, UTC)


def _came(head: Head, now: datetime) -> Choice:
    day = f"{datetime.fromtimestamp(head.came, now.tzinfo):%d %b %Y}"
    second = said("arrived; answered") if head.is_answered else said("arrived")
    return Choice(f"arrived:{head.key}", head.fields.subject or said("No subject"), second, day)


def _counted(letters: int, came: int) -> str:
    told = counted("1 letter", "{count} letters", count=letters) if letters else ""
    arrived = counted("1 message arrived", "{count} messages arrived", count=came) if came else ""
    return ", ".join(filter(None, (told, arrived))) or said("No letter yet")

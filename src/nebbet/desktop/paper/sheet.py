"""A sheet of paper: rows for addresses and subject, the frame's band and foot, and the body."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPixmap, QResizeEvent
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from nebbet.core.body import Frame
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.paper.paper_edit import PaperEdit


class Sheet(QFrame):
    """Lays out the rows (label, field) and the body; looks as its frame says."""

    def __init__(self, rows: list[tuple[str, QWidget]], body: PaperEdit) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setPalette(theme.paper_palette())
        self.body = body
        body.document().setDocumentMargin(28)
        self._band, self._foot = pieces.label(), pieces.label()
        self._frame = Frame()
        body.picture_shown.connect(self._show_band)
        self._row_pieces: dict[str, list[QWidget]] = {}
        layout = QVBoxLayout(self)
        self._rows = self._head(rows)
        pieces.fill(layout, self._rows, self._band, body, self._foot, None, spacing=0)
        self.set_frame(Frame())

    def _head(self, rows: list[tuple[str, QWidget]]) -> QWidget:
        head = QWidget()
        grid = QGridLayout(head)
        grid.setContentsMargins(28, 12, 28, 10)
        grid.setVerticalSpacing(0)
        grid.setColumnStretch(1, 1)
        for index, (name, field) in enumerate(rows):
            shown = pieces.label(name, "field")
            shown.setPalette(theme.paper_palette("#665E6C"))
            grid.addWidget(shown, 2 * index, 0, Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(field, 2 * index, 1)
            line = pieces.rule()
            self._row_pieces[name] = [shown, field, line]
            grid.addWidget(line, 2 * index + 1, 0, 1, 2)
        return head

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The shadow lies on the ground: it is painted anew when the sheet grows."""
        super().resizeEvent(event)
        if ground := self.parentWidget():
            ground.update()

    def _show_band(self, *_args: object) -> None:
        """The logo where there is one, else the words of the band."""
        frame = self._frame
        logo = self.body.picture(frame.logo) if frame.logo else None
        if logo is not None and not logo.isNull():
            wide = QPixmap.fromImage(logo).scaledToWidth(
                frame.logo_width or min(logo.width(), frame.width),
                Qt.TransformationMode.SmoothTransformation,
            )
            self._band.setPixmap(wide)
        else:
            self._band.setText(frame.band or frame.logo_alt)
        self._band.setVisible(bool(frame.band or frame.logo))

    def show_rows(self, shown: bool) -> None:
        """Show or hide everything above the text."""
        self._rows.setVisible(shown)

    def show_row(self, name: str, shown: bool) -> None:
        """Show or hide a row that is not always needed."""
        for piece in self._row_pieces[name]:
            piece.setVisible(shown)

    def set_frame(self, frame: Frame) -> None:
        """Take the look of a frame."""
        frame = frame.sound
        self.body.set_frame(frame)
        self.setMaximumWidth(frame.width + 120)
        self._frame = frame
        self._show_band()
        self._band.setStyleSheet(
            f"background: {frame.accent}; color: #FFFFFF; font-size: 17px; padding: 12px 28px;"
        )
        self._foot.setText("\n".join(frame.foot))
        self._foot.setVisible(bool(frame.foot))
        self._foot.setStyleSheet(
            f"border-top: 1px solid {frame.accent}; color: {frame.faint}; font-size: 12px;"
            " padding: 10px 28px;"
        )
        self.body.setStyleSheet("QTextEdit { background: transparent; }")


def paper_box(body: PaperEdit) -> QScrollArea:
    """A body to be read, on a small piece of paper that scrolls."""
    body.setReadOnly(True)
    body.document().setDocumentMargin(18)
    body.setStyleSheet("QTextEdit { background: transparent; }")
    paper = QWidget()
    paper.setObjectName("inside")
    pieces.fill(QVBoxLayout(paper), body, None)
    area = pieces.scrolled(paper)
    area.setStyleSheet(
        "QScrollArea { background: #FFFFFF; border: 1px solid #D8D1C6; }"
        "QWidget#inside { background: #FFFFFF; }"
    )
    return area


class _Ground(QWidget):
    """The warm ground; paints the one shadow there is, that of the paper."""

    def __init__(self, sheet: Sheet) -> None:
        super().__init__()
        self._sheet = sheet
        self._layout = pieces.fill(QVBoxLayout(self), sheet, None, margin=20)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the sheet in the middle of a wide desk."""
        side = max(20, (event.size().width() - self._sheet.maximumWidth()) // 2)
        self._layout.setContentsMargins(side, 20, side, 24)

    def paintEvent(self, event: QPaintEvent) -> None:
        """The ground, and the shadow under the sheet."""
        painter = QPainter(self)
        painter.fillRect(event.rect(), QColor(theme.tokens().desk))
        for reach in range(4, 0, -1):
            painter.fillRect(
                self._sheet.geometry().adjusted(-reach, 3 - reach, reach, 2 + reach),
                QColor(42, 36, 48, 5),
            )


class Desk(QScrollArea):
    """Where a sheet lies; keeps the writing cursor in sight."""

    def __init__(self, sheet: Sheet) -> None:
        super().__init__()
        self.sheet = sheet
        self._ground = _Ground(sheet)
        self.setWidget(self._ground)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        sheet.body.cursorPositionChanged.connect(self._follow)

    def _follow(self) -> None:
        if self.sheet.body.hasFocus():
            spot = self.sheet.body.cursorRect().center()
            shown = self.sheet.body.viewport().mapTo(self._ground, spot)
            self.ensureVisible(shown.x(), shown.y(), 10, 60)

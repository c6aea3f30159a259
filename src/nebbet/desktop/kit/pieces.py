"""Small pieces that every page uses: labels, buttons, rules, columns."""

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QPoint, QRect, Qt
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QBoxLayout,
    QComboBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QTableView,
    QTextEdit,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nebbet.desktop.kit import theme
from nebbet.desktop.kit.still import StillNumber

_EDGE = 8  # pixels that what opens keeps from the edge of its window


def label(text: str = "", kind: str = "", *, wrap: bool = False) -> QLabel:
    """A label; kind is faint, note, heading, title, stop, doubt or done."""
    made = QLabel(text)
    made.setObjectName(kind)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setWordWrap(wrap)
    return made


def button(text: str, act: Callable[[], object], kind: str = "", hint: str = "") -> QPushButton:
    """A button; kind is primary, words or empty."""
    made = QPushButton(text)
    dress_button(made, act, kind, hint)
    return made


def dress_button(
    made: QPushButton, act: Callable[[], object], kind: str = "", hint: str = ""
) -> None:
    """Let a button look and act as others do."""
    made.setObjectName(kind)
    made.setAutoDefault(False)
    theme.named(made, made.text(), hint)
    made.clicked.connect(lambda _checked=False: act())


def number(least: int, most: int, at_least: str = "") -> StillNumber:
    """A whole number, also by the arrow keys; at_least is said in the place of the least one."""
    made = StillNumber()
    made.setRange(least, most)
    made.setSpecialValueText(at_least)
    made.setButtonSymbols(StillNumber.ButtonSymbols.NoButtons)
    return made


class _Tool(QToolButton):
    """Draws its icon anew when the colours change."""

    def __init__(self, icon: str) -> None:
        super().__init__()
        self._icon, self._colour = icon, ""
        self._draw()

    def _draw(self) -> None:
        colour = theme.tokens().ink
        if colour != self._colour:
            self._colour = colour
            self.setIcon(theme.icon(self._icon, colour))

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.PaletteChange:
            self._draw()
        super().changeEvent(event)


def tool(icon: str, name: str, act: Callable[[], object], hint: str = "") -> QToolButton:
    """A button with an icon in place of a word."""
    made = _Tool(icon)
    made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    theme.named(made, name, hint or name)
    made.clicked.connect(lambda _checked=False: act())
    return made


def rule() -> QFrame:
    """A hairline."""
    made = QFrame()
    made.setObjectName("rule")
    return made


def column(side: str, *pieces: QWidget | QLayout, margin: int = 12) -> QWidget:
    """A panel on the left or right side of a page."""
    made = QWidget()
    made.setObjectName("column")
    made.setProperty("side", side)
    made.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    fill(QVBoxLayout(made), *pieces, margin=margin)
    return made


def fill(
    layout: QBoxLayout, *pieces: QWidget | QLayout | None, margin: int = 0, spacing: int = 6
) -> QBoxLayout:
    """Put pieces into a layout; None is a stretch."""
    layout.setContentsMargins(margin, margin, margin, margin)
    layout.setSpacing(spacing)
    for piece in pieces:
        if piece is None:
            layout.addStretch(1)
        elif isinstance(piece, QWidget):
            layout.addWidget(piece)
        else:
            layout.addLayout(piece)
    return layout


def row(*pieces: QWidget | QLayout | None, spacing: int = 6) -> QBoxLayout:
    """Pieces beside each other."""
    return fill(QHBoxLayout(), *pieces, spacing=spacing)


def captioned(form: QFormLayout, words: str, field: QWidget) -> QLabel:
    """Put a field into a form under its name; gives the caption."""
    theme.named(field, words)
    caption = label(words, "faint")
    form.addRow(caption, field)
    return caption


def show_beginnings(form: QWidget) -> None:
    """Let every line of a form show its beginning, which says more than its end; not the line
    that somebody is at."""
    for line in form.findChildren(QLineEdit):
        if not line.hasFocus():
            line.setCursorPosition(0)


def scrolled(inside: QWidget) -> QScrollArea:
    """A widget that scrolls up and down when it is too tall."""
    inside.setObjectName("inside")
    area = QScrollArea()
    area.setWidget(inside)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area


def clear(layout: QLayout) -> None:
    """Take everything out of a layout and let go of it."""
    while (item := layout.takeAt(0)) is not None:
        if widget := item.widget():
            widget.hide()
            widget.deleteLater()
        elif inner := item.layout():
            clear(inner)


def place_under(asked: QWidget, spot: QRect, width: int, height: int, gap: int) -> QRect:
    """Where in its window something of a size opens under a spot of a widget; over it where there
    is no room below."""
    window = asked.window()
    corner = asked.mapTo(window, spot.bottomLeft() + QPoint(0, gap))
    if corner.y() + height > window.height() - _EDGE:
        above = asked.mapTo(window, spot.topLeft()).y() - height - gap
        corner.setY(max(_EDGE, above))
    left = max(_EDGE, min(corner.x(), window.width() - width - _EDGE))
    return QRect(left, corner.y(), width, height)


def grow(widget: QWidget) -> QWidget:
    """Let a widget take all the width there is."""
    widget.setSizePolicy(QSizePolicy.Policy.Expanding, widget.sizePolicy().verticalPolicy())
    return widget


def dress_table(table: QTableView, name: str, widths: Sequence[int], wide: int) -> None:
    """Give a table the look and ways of a list: whole rows, one at a time; one column grows."""
    theme.named(table, name)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setShowGrid(False)
    table.setWordWrap(False)
    table.setTabKeyNavigation(False)
    table.verticalHeader().hide()
    table.verticalHeader().setDefaultSectionSize(theme.ROW + 2)
    header = table.horizontalHeader()
    header.setHighlightSections(False)
    header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    for column, width in enumerate(widths):
        table.setColumnWidth(column, width)
    header.setSectionResizeMode(wide, QHeaderView.ResizeMode.Stretch)


def let_type(form: QWidget, may: bool) -> None:
    """Let somebody type into the fields of a form, or only read them: what cannot be kept is not to
    be written first."""
    for field in (form, *form.findChildren(QWidget)):
        if isinstance(field, QLineEdit | QTextEdit | QPlainTextEdit):
            field.setReadOnly(not may)
            restyle(field, "fixed", not may)
        elif isinstance(field, QAbstractButton | QComboBox | QAbstractSpinBox):
            field.setEnabled(may)


def tab_through(first: QWidget, *after: QWidget) -> None:
    """Let Tab go from one control to the next in this order: what is built late comes last else."""
    for before, widget in zip((first, *after), after, strict=False):
        QWidget.setTabOrder(before, widget)


def keep_low(widget: QWidget) -> None:
    """Let a widget be no taller than what is in it."""
    widget.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)


def restyle(widget: QWidget, name: str, value: object) -> None:
    """Set a property that the look depends on."""
    if widget.property(name) != value:
        widget.setProperty(name, value)
        widget.style().unpolish(widget)
        widget.style().polish(widget)

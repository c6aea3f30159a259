"""The look: every colour, size and font of the window comes from here."""

from dataclasses import dataclass
from functools import cache
from html import escape
from importlib.resources import files

from PySide6.QtCore import QByteArray, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontDatabase,
    QGuiApplication,
    QIcon,
    QPainter,
    QPalette,
    QPixmap,
)
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication, QWidget

ROW = 24  # pixels: the height of one row of a list
FAMILY = "Atkinson Hyperlegible Next"
SERIF = "Literata"


@dataclass(frozen=True)
class Tokens:
    """The named colours of one scheme."""

    desk: str
    panel: str
    rule: str
    ink: str
    faint: str
    plum: str
    on_plum: str
    ochre_ground: str
    ochre_edge: str
    ochre_text: str
    spruce: str
    brick: str
    slate: str
    chosen: str
    field: str


LIGHT = Tokens(
    desk="#ECE8E1",
    panel="#F7F5F1",
    rule="#D8D1C6",
    ink="#2A2430",
    faint="#665E6C",
    plum="#6B2E5F",
    on_plum="#FFFFFF",
    ochre_ground="#F7E2A6",
    ochre_edge="#8A5F0C",
    ochre_text="#4A3405",
    spruce="#2F6B4E",
    brick="#A8321F",
    slate="#3C5A80",
    chosen="#EADFE7",
    field="#FFFFFF",
)
DARK = Tokens(
    desk="#1D1A1F",
    panel="#262229",
    rule="#3A343E",
    ink="#ECE7EE",
    faint="#A79FAD",
    plum="#D9A3CD",
    on_plum="#2A1526",
    ochre_ground="#4B3D17",
    ochre_edge="#C79A3E",
    ochre_text="#F2DDA0",
    spruce="#8CC7A8",
    brick="#F0917F",
    slate="#9DB8DC",
    chosen="#43323F",
    field="#1D1A1F",
)


def tokens() -> Tokens:
    """The colours of the scheme that the person chose, or that the desktop asks for now."""
    application = QGuiApplication.instance()
    chosen = str(application.property("look") or "") if application else ""
    if chosen:
        return DARK if chosen == "dark" else LIGHT
    scheme = QGuiApplication.styleHints().colorScheme()
    return DARK if scheme == Qt.ColorScheme.Dark else LIGHT


@cache
def load_fonts() -> None:
    """Make the shipped fonts known to Qt; once for a process."""
    for path in (files("nebbet.desktop") / "assets" / "fonts").iterdir():
        if path.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(QByteArray(path.read_bytes()))


def ui_font(size: int = 13, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The font of the window, with figures of one width."""
    return _font(FAMILY, size, weight)


def serif_font(size: int, weight: QFont.Weight = QFont.Weight.DemiBold) -> QFont:
    """The font of the wordmark and the names of places."""
    return _font(SERIF, size, weight)


def _font(family: str, size: int, weight: QFont.Weight) -> QFont:
    font = QFont(family)
    font.setPixelSize(size)
    font.setWeight(weight)
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


def apply(application: QApplication) -> None:
    """Dress the application, and again whenever the desktop changes its scheme."""
    load_fonts()
    application.setStyle("Fusion")
    application.setFont(ui_font())
    _dress(application)
    application.styleHints().colorSchemeChanged.connect(lambda _scheme: _dress(application))


def choose(look: str) -> None:
    """Take a look: "light", "dark", or "" for the desktop's own."""
    application = QApplication.instance()
    if isinstance(application, QApplication) and (application.property("look") or "") != look:
        application.setProperty("look", look)
        _dress(application)


def _dress(application: QApplication) -> None:
    look = tokens()
    application.setPalette(_palette(look))
    # One grey that is seen on light and dark: a style sheet takes pictures only from files.
    chevron = files("nebbet.desktop") / "assets" / "icons" / "chevron.svg"
    application.setStyleSheet(_STYLE.format(**vars(look), chevron=chevron))


def _palette(look: Tokens) -> QPalette:
    roles = {
        QPalette.ColorRole.Window: look.desk,
        QPalette.ColorRole.Base: look.field,
        QPalette.ColorRole.AlternateBase: look.panel,
        QPalette.ColorRole.Button: look.panel,
        QPalette.ColorRole.Text: look.ink,
        QPalette.ColorRole.WindowText: look.ink,
        QPalette.ColorRole.ButtonText: look.ink,
        QPalette.ColorRole.ToolTipBase: look.panel,
        QPalette.ColorRole.ToolTipText: look.ink,
        QPalette.ColorRole.PlaceholderText: look.faint,
        QPalette.ColorRole.Highlight: look.plum,
        QPalette.ColorRole.HighlightedText: look.on_plum,
        QPalette.ColorRole.Link: look.plum,
        QPalette.ColorRole.Accent: look.plum,
        QPalette.ColorRole.Mid: look.rule,
    }
    palette = QPalette()
    for role, colour in roles.items():
        palette.setColor(role, QColor(colour))
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(look.faint))
    return palette


def paper_palette(ink: str = "#222222", ground: str = "#FFFFFF") -> QPalette:
    """The palette of paper: as the recipient will see it, in either scheme."""
    palette = _palette(LIGHT)
    palette.setColor(QPalette.ColorRole.Window, QColor(ground))
    palette.setColor(QPalette.ColorRole.Base, QColor(ground))
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.WindowText):
        palette.setColor(role, QColor(ink))
    return palette


def icon(name: str, colour: str = "", size: int = 16) -> QIcon:
    """A shipped icon in one colour; the ink of the scheme unless told otherwise."""
    path = files("nebbet.desktop") / "assets" / "icons" / f"{name}.svg"
    svg = path.read_text("utf-8").replace("currentColor", colour or tokens().ink)
    renderer = QSvgRenderer(QByteArray(svg.encode("utf-8")))
    pixmap = QPixmap(QSize(size, size) * 2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    renderer.render(painter)
    painter.end()
    pixmap.setDevicePixelRatio(2)
    return QIcon(pixmap)


def named(widget: QWidget, name: str, hint: str = "") -> None:
    """Give a control the name that screen readers say, and a hint where it helps."""
    widget.setAccessibleName(name)
    if hint:
        widget.setToolTip(plain_hint(hint))


def plain_hint(text: str) -> str:
    """A hint as its words: Qt would take what looks like markup for such, and load its pictures."""
    return f"<p>{escape(text)}</p>" if "<" in text else text


_STYLE = """
* {{ outline: none; }}
QToolTip {{ background: {panel}; color: {ink}; border: 1px solid {rule}; padding: 3px 6px; }}
QMainWindow, QWidget#page, QStackedWidget {{ background: {desk}; }}
QWidget#band {{ background: {panel}; border-bottom: 1px solid {rule}; }}
QWidget#column {{ background: {panel}; }}
QWidget#column QStackedWidget {{ background: transparent; }}
QWidget#column[side="left"] {{ border-right: 1px solid {rule}; }}
QWidget#column[side="right"] {{ border-left: 1px solid {rule}; }}
QFrame#rule {{ background: {rule}; border: none; max-height: 1px; min-height: 1px; }}
QLabel#faint, QLabel#note {{ color: {faint}; }}
QLabel#note {{ font-size: 12px; }}
QLabel#note[wrong="true"] {{ color: {brick}; }}
QLabel#heading {{ color: {faint}; font-size: 12px; font-weight: 600; padding: 2px 0; }}
QLabel#title {{ font-family: Literata; font-size: 18px; font-weight: 600; color: {ink}; }}
QLabel#stop {{ color: {brick}; }}
QLabel#doubt {{ color: {ochre_edge}; }}
QLabel#done {{ color: {spruce}; }}

QLineEdit, QPlainTextEdit, QComboBox, QSpinBox {{
    background: {field}; color: {ink}; border: 1px solid {rule}; border-radius: 2px;
    padding: 2px 6px; min-height: 20px; selection-background-color: {plum};
    selection-color: {on_plum};
}}
QTextEdit#slotline {{ background: #FFFFFF; border: 1px solid {rule}; border-radius: 2px; }}
QTextEdit#slotline:focus {{ border-color: {plum}; }}
QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus, QSpinBox:focus {{
    border: 1px solid {plum};
}}
QLineEdit[blank="true"], QPlainTextEdit[blank="true"] {{
    background: {ochre_ground}; color: {ochre_text}; border: 1px dashed {ochre_edge};
}}
QLineEdit[blank="true"]:focus, QPlainTextEdit[blank="true"]:focus {{
    border: 1px solid {plum};
}}
QLineEdit[fixed="true"], QPlainTextEdit[fixed="true"] {{
    background: transparent; border-style: dotted;
}}
QLineEdit[quiet="true"] {{ background: transparent; border-color: transparent; padding-left: 0; }}
QLineEdit[quiet="true"]:hover {{ border-color: {rule}; padding-left: 6px; }}
QLineEdit[quiet="true"]:focus {{
    background: {field}; border-color: {plum}; padding-left: 6px;
}}
QComboBox:disabled {{ color: {faint}; }}
QComboBox::drop-down {{ border: none; width: 20px; }}
QComboBox::down-arrow {{ image: url("{chevron}"); width: 11px; height: 11px; }}
QComboBox QAbstractItemView {{
    background: {panel}; color: {ink}; border: 1px solid {rule};
    selection-background-color: {chosen}; selection-color: {ink};
}}

QPushButton {{
    background: transparent; color: {ink}; border: 1px solid {rule}; border-radius: 2px;
    padding: 3px 10px; min-height: 18px;
}}
QPushButton#look:checked {{ background: {chosen}; border-color: {plum}; }}
QPushButton:hover {{ border-color: {faint}; }}
QPushButton:focus {{ border: 1px solid {plum}; }}
QPushButton:disabled {{ color: {faint}; border-color: {rule}; }}
QPushButton#primary {{
    background: {plum}; color: {on_plum}; border-color: {plum}; font-weight: 600;
}}
QPushButton#primary:focus {{ border: 2px solid {ink}; padding: 2px 9px; }}
QPushButton#primary:disabled {{ background: {rule}; color: {faint}; border-color: {rule}; }}
QPushButton#words {{
    border: none; color: {plum}; padding: 1px 2px; text-decoration: underline; min-height: 0;
}}
QPushButton#words:focus {{ border: 1px solid {plum}; padding: 0 1px; }}
QPushButton#place {{
    border: none; border-bottom: 2px solid transparent; border-radius: 0; color: {faint};
    padding: 5px 2px 4px 2px; min-height: 25px;
    font-family: Literata; font-size: 15px; font-weight: 600;
}}
QPushButton#place:checked {{ color: {plum}; border-bottom: 2px solid {plum}; }}
QPushButton#place:focus {{ border-bottom: 2px dotted {plum}; color: {ink}; }}
QToolButton {{ border: 1px solid transparent; border-radius: 2px; padding: 3px; color: {ink}; }}
QToolButton:hover {{ border-color: {rule}; }}
QToolButton:focus {{ border-color: {plum}; }}
QToolButton:checked {{ background: {chosen}; border-color: {plum}; }}
QCheckBox {{ color: {ink}; spacing: 6px; }}
QCheckBox::indicator:unchecked, QTableView::indicator:unchecked {{
    width: 12px; height: 12px; border: 1px solid {faint}; background: {field};
}}
QCheckBox:focus {{ color: {plum}; }}

QListView, QTableView, QTreeView {{
    background: transparent; color: {ink}; border: none; gridline-color: {rule};
    selection-background-color: {chosen}; selection-color: {ink};
}}
QFrame#popup {{ background: {panel}; border: 1px solid {faint}; }}
QCalendarWidget QWidget#qt_calendar_navigationbar {{ background: {panel}; }}
QCalendarWidget QToolButton {{ color: {ink}; font-weight: 600; padding: 3px 8px; }}
QCalendarWidget QToolButton::menu-indicator {{ image: none; }}
QCalendarWidget QSpinBox {{ min-width: 56px; }}
QListView#popup {{ background: {panel}; border: 1px solid {faint}; }}
QTableView::item {{ border-bottom: 1px solid {rule}; padding: 0 6px; }}
QTableView::item:selected, QListView::item:selected {{ background: {chosen}; color: {ink}; }}
QListView, QTableView {{ border: 1px solid transparent; }}
QTableView {{ background: {panel}; border-color: {rule}; }}
QTableView:focus, QListView:focus {{ border: 1px solid {plum}; }}
QHeaderView::section {{
    background: {panel}; color: {faint}; border: none; border-bottom: 1px solid {rule};
    padding: 4px 9px; font-size: 12px; font-weight: 600;
}}
QScrollArea, QScrollArea > QWidget > QWidget#inside {{ background: transparent; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {rule}; min-height: 30px; margin: 1px 2px; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
QScrollBar::handle:horizontal {{ background: {rule}; min-width: 30px; margin: 2px 1px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QSplitter::handle {{ background: {rule}; }}
QTabBar::tab {{
    background: transparent; color: {faint}; border: none; border-bottom: 2px solid transparent;
    padding: 3px 8px;
}}
QTabBar::tab:selected {{ color: {plum}; border-bottom: 2px solid {plum}; }}
QTabBar:focus {{ border: 1px dotted {plum}; }}
QWidget#notice {{ background: {ink}; }}
QWidget#notice QLabel {{ color: {panel}; }}
QWidget#notice QPushButton {{ color: {panel}; border-color: {faint}; }}
QWidget#notice QPushButton:focus {{ border: 1px solid {panel}; }}
QWidget#box {{ background: {panel}; border: 1px solid {faint}; }}
QFrame#sheet {{ background: #FFFFFF; border: 1px solid {rule}; }}
QFrame#sheet QLineEdit {{ background: transparent; color: #2A2430; border-color: transparent; }}
QFrame#sheet QLineEdit:focus {{ background: #FFFFFF; border-color: #6B2E5F; }}
QFrame#sheet QLabel#field {{ color: #665E6C; }}
QFrame#sheet QFrame#rule {{ background: #E4DFD6; }}
"""

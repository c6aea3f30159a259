"""What the thing at the cursor is made of: where a link leads, what a picture shows."""

from PySide6.QtCore import Signal
from PySide6.QtGui import QTextCursor, QTextImageFormat
from PySide6.QtWidgets import QHBoxLayout, QSpinBox, QWidget

from nebbet.core import inline
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.paper import docformat
from nebbet.desktop.paper.template_edit import Names, TemplateEdit
from nebbet.desktop.template.slot_line import SlotLine

_WIDEST = 2000


class ThingBar(QWidget):
    """A row of fields for the link, button, picture or passage at the cursor of an editor; hidden
    where there is none. open_passage tells that somebody wants to see a passage."""

    open_passage = Signal(str)

    def __init__(self, editor: TemplateEdit, names: Names) -> None:
        super().__init__()
        self._editor = editor
        self._showing = False
        self._what = pieces.label("", "faint")
        self.address = SlotLine("Address it leads to", names)
        self.alt = SlotLine("What the picture shows, for readers who cannot see it", names)
        self.wide, self.high = self._size("Width"), self._size("Height")
        self.passage = pieces.button("Open the passage", self._open, "words")
        self._alt_label = pieces.label("shows", "faint")
        self._leads = pieces.label("leads to", "faint")
        self._by = pieces.label("×", "faint")
        row: list[QWidget] = [
            self._what, self._alt_label, self.alt, self._leads, self.address, self.wide, self._by,
            self.high, self.passage,
        ]  # fmt: skip
        pieces.fill(QHBoxLayout(self), *row, margin=8)
        self.layout().setContentsMargins(8, 0, 8, 4)  # type: ignore[union-attr]
        editor.cursorPositionChanged.connect(self.follow)
        editor.edited.connect(self.follow)
        self.address.edited.connect(self._take_address)
        self.alt.edited.connect(self._take_picture)
        self.wide.valueChanged.connect(lambda _value: self._take_picture())
        self.high.valueChanged.connect(lambda _value: self._take_picture())
        for field in (self.address, self.alt):
            field.entered.connect(editor.setFocus)
        self.hide()

    def _size(self, name: str) -> QSpinBox:
        made = pieces.number(0, _WIDEST, "own size")
        made.setKeyboardTracking(False)
        theme.named(made, f"{name} of the picture in pixels")
        return made

    @property
    def is_used(self) -> bool:
        """Whether somebody is typing in the row."""
        return any(f.hasFocus() for f in (self.address, self.alt, self.wide, self.high))

    def follow(self) -> None:
        """Show the thing at the cursor."""
        if self.is_used:
            return
        picture, button = self._picture(), self._editor.shape.button_link()
        link = self._editor.textCursor().charFormat().anchorHref() if button is None else button
        passage = self._editor.passage_at_cursor()
        kind = (
            "picture" if picture else "button" if button is not None else "link" if link
            else "passage" if passage else ""
        )  # fmt: skip
        self._showing = True
        self._what.setText(kind.capitalize())
        if picture:
            fmt = picture[1]
            self.alt.set_text(str(fmt.property(docformat.ALT) or ""))
            link = str(fmt.property(docformat.LEADS) or "")
            self.wide.setValue(int(fmt.property(docformat.WIDTH) or 0))
            self.high.setValue(int(fmt.property(docformat.HEIGHT) or 0))
        if kind in ("picture", "button", "link"):
            self.address.set_text(link)
        for field in (self._alt_label, self.alt, self.wide, self._by, self.high):
            field.setVisible(kind == "picture")
        for field in (self._leads, self.address):
            field.setVisible(kind in ("picture", "button", "link"))
        self.passage.setVisible(kind == "passage")
        self._showing = False
        self.setVisible(bool(kind))

    def _picture(self) -> tuple[int, QTextImageFormat] | None:
        """The picture before the cursor, or the selected one, with its position."""
        cursor = self._editor.textCursor()
        end = cursor.selectionEnd()
        if end - cursor.selectionStart() > 1:
            return None
        for position in (end, end + 1):
            if position >= self._editor.document().characterCount():
                continue
            probe = QTextCursor(self._editor.document())
            probe.setPosition(position)
            if probe.charFormat().isImageFormat():
                return position - 1, probe.charFormat().toImageFormat()
        return None

    def _take_address(self) -> None:
        if self._showing:
            return
        text = self.address.text().strip()
        if self._picture():
            self._take_picture()
        elif self._editor.shape.button_link() is not None:
            self._editor.shape.set_button_link(text)
        else:
            self._editor.shape.set_link_address(text)

    def _take_picture(self) -> None:
        found = self._picture()
        if self._showing or not found:
            return
        position, fmt = found
        alt = inline.parse(self.alt.text().strip())
        link = inline.parse(self.address.text().strip())
        file = fmt.name().removeprefix(docformat.PICTURE)
        self._editor.shape.put_picture(
            position, file, alt, self.wide.value(), self.high.value(), link
        )

    def _open(self) -> None:
        self.open_passage.emit(self._editor.passage_at_cursor())

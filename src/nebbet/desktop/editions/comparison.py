"""Two states of a template beside each other, with the words that changed marked."""

from collections.abc import Mapping, Sequence
from html import escape

from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QTextBrowser

from nebbet.core import inline
from nebbet.core.comparing import Piece, Row, Section
from nebbet.core.inline import Slot
from nebbet.core.records import fold, label_of
from nebbet.desktop.kit import theme

_NOTHING = "They say the same."


class ComparisonView(QTextBrowser):
    """Shows the sections of a comparison: what was removed is struck through on the left, what was
    added underlined on the right."""

    def __init__(self) -> None:
        super().__init__()
        self._sections: Sequence[Section] = ()
        self._titles = ("", "")
        self._labels: Mapping[str, str] = {}
        self.setOpenLinks(False)
        theme.named(self, "Comparison")

    def show_sections(
        self,
        sections: Sequence[Section],
        before: str,
        after: str,
        labels: Mapping[str, str] | None = None,
    ) -> None:
        """Show a comparison under the names of its two sides; labels are those of placeholders, by
        folded name, where they have one of their own."""
        self._sections, self._titles, self._labels = sections, (before, after), labels or {}
        self._draw()

    def changeEvent(self, event: QEvent) -> None:
        """Draw in the colours of the look at hand."""
        super().changeEvent(event)
        if event.type() == QEvent.Type.PaletteChange:
            self._draw()

    def _draw(self) -> None:
        look = theme.tokens()
        heads = "".join(
            f'<td width="50%" style="color:{look.faint}"><b>{escape(title)}</b></td>'
            for title in self._titles
        )
        sections = "".join(_section(section, self._labels) for section in self._sections)
        rows = sections or f"<tr><td>{_NOTHING}</td></tr>"
        self.setHtml(
            f'<table width="100%" cellspacing="0" cellpadding="5"><tr>{heads}</tr>{rows}</table>'
        )


def _section(section: Section, labels: Mapping[str, str]) -> str:
    look = theme.tokens()
    head = (
        f'<tr><td colspan="2" style="color:{look.plum};padding-top:14px;'
        f'border-bottom:1px solid {look.rule}"><b>{escape(section.name)}</b></td></tr>'
    )
    return head + "".join(_row(row, labels) for row in section.rows)


def _row(row: Row, labels: Mapping[str, str]) -> str:
    look = theme.tokens()
    colour = look.ink if row.changed else look.faint
    mark = f' <span style="color:{look.slate}">(looks different)</span>' if row.look else ""
    before, after = (
        "".join(_piece(piece, labels) for piece in side) for side in (row.before, row.after)
    )
    cell = f'<td width="50%" valign="top" style="color:{colour}">'
    return f"<tr>{cell}{before}</td>{cell}{after}{mark}</td></tr>"


def _piece(piece: Piece, labels: Mapping[str, str]) -> str:
    look = theme.tokens()
    text = "".join(
        _placeholder(part, labels) if isinstance(part, Slot) else escape(part)
        for part in inline.parse(piece.text)
    )
    text = text.replace("\n", "<br>").replace("  ", "&nbsp; ")
    if piece.kind == "removed":
        return f'<s style="color:{look.brick}">{text}</s>'
    if piece.kind == "added":
        return f'<u style="color:{look.spruce};font-weight:600">{text}</u>'
    return text


def _placeholder(slot: Slot, labels: Mapping[str, str]) -> str:
    """A placeholder as the editor shows it: by its label, on a ground of its own."""
    look = theme.tokens()
    label = labels.get(fold(slot.name)) or label_of(slot.name)
    how = f" | {slot.modifiers}" if slot.modifiers else ""
    return f'<span style="background-color:{look.desk}">&nbsp;{escape(label + how)}&nbsp;</span>'

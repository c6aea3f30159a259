"""What stands beside the text of a template: ledger, copies, enclosures, words, working days."""

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from nebbet.core import letter as letters
from nebbet.core.letter import Content
from nebbet.core.placeholders import World
from nebbet.desktop.kit import pieces
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.template.copies import ConditionalCopies
from nebbet.desktop.template.enclosures import Enclosures
from nebbet.desktop.template.found_by import FoundBy
from nebbet.desktop.template.holidays import Holidays
from nebbet.desktop.template.ledger import Ledger


class Beside(QWidget):
    """The column on the right, above what puts the template in use. changed tells that something in
    it is another one now, beside a declaration: that is told by the ledger itself."""

    changed = Signal()

    def __init__(self, shared: SharedLibrary, world: Callable[[], World], below: QWidget) -> None:
        super().__init__()
        self.ledger = Ledger(shared, world)
        self.copies = ConditionalCopies(self.ledger)
        self.enclosures = Enclosures(shared, self.ledger)
        self.found_by = FoundBy(lambda: shared.search.fields.kinds)
        self.holidays = Holidays()
        for part in (self.copies, self.enclosures, self.found_by):
            part.changed.connect(self.changed)
        parts = (self.ledger, self.copies, self.enclosures, self.found_by, self.holidays)
        inside = QWidget()
        layout = pieces.fill(QVBoxLayout(inside), *parts, None, spacing=14)
        layout.setContentsMargins(0, 0, 8, 0)
        scrolled = pieces.scrolled(inside)
        scrolled.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        below.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        column = pieces.column("right", scrolled, pieces.rule(), below)
        pieces.fill(QVBoxLayout(self), column)
        self.setFixedWidth(330)

    def show_content(self, content: Content) -> None:
        """Show what a template declares and takes along."""
        self.holidays.show_code(content.calendar)
        self.ledger.show_placeholders(content.placeholders)
        self.ledger.show_uses(letters.uses(content))
        self.enclosures.show_enclosures(content.enclosures)
        self.copies.show_copies(content.copies.conditional)
        self.found_by.show_words(content.kinds, content.keywords)

    def taken(self, written: Content) -> Content:
        """What was written, with what stands here."""
        return replace(
            written,
            placeholders=tuple(self.ledger.placeholders),
            copies=replace(written.copies, conditional=tuple(self.copies.copies)),
            enclosures=tuple(self.enclosures.enclosures),
            calendar=self.holidays.text,
            kinds=self.found_by.kinds,
            keywords=self.found_by.keywords,
        )

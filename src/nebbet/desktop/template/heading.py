"""What a template is called, and where it stands: title, shelf, frame."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from nebbet.core.letter import TemplateDraft
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo
from nebbet.library.catalogue import Catalogue


class Heading(QWidget):
    """edited tells that somebody changed title or shelf, reframed that the text is to stand in
    another frame."""

    edited = Signal()
    reframed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.title_field, self.shelves, self.frames = QLineEdit(), StillCombo(), StillCombo()
        theme.named(self.title_field, "Title")
        theme.named(self.shelves, "Shelf")
        theme.named(self.frames, "Frame")
        self.title_field.setPlaceholderText("Title in the library; it is never sent")
        for choice in (self.shelves, self.frames):  # in a narrow window the title needs the room
            choice.setSizeAdjustPolicy(
                StillCombo.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            choice.setMinimumContentsLength(8)
        layout = QHBoxLayout(self)
        pieces.fill(layout, pieces.grow(self.title_field), self.shelves, self.frames)
        for index, share in enumerate((5, 3, 3)):
            layout.setStretch(index, share)
        self.title_field.textEdited.connect(self.edited)
        self.shelves.currentIndexChanged.connect(self.edited)
        self.frames.currentIndexChanged.connect(self.reframed)

    def offer(self, catalogue: Catalogue) -> None:
        """Offer the shelves and frames that there are."""
        self.shelves.clear()
        for shelf in catalogue.shelves:
            self.shelves.addItem(shelf.name, shelf.id)
        self.frames.clear()
        for key, found in catalogue.frames.items():
            self.frames.addItem(found.name or key, key)
        self.frames.setVisible(self.frames.count() > 1)

    def show_draft(self, draft: TemplateDraft) -> None:
        """Show what a state of a template is called, and where it stands."""
        self.title_field.setText(draft.title)
        self.title_field.setCursorPosition(0)
        self.shelves.setCurrentIndex(self.shelves.findData(draft.shelf))
        self.frames.setCurrentIndex(self.frames.findData(draft.content.frame))

    @property
    def title(self) -> str:
        """The title that stands here."""
        return self.title_field.text().strip()

    @property
    def shelf(self) -> str:
        """The shelf that is chosen, by its id."""
        return str(self.shelves.currentData() or "")

    @property
    def frame(self) -> str:
        """The frame that is chosen, by its id."""
        return str(self.frames.currentData() or "")

    @property
    def about(self) -> str:
        """What the template is about, in a few words."""
        return f"{self.title_field.text()} {self.shelves.currentText()}"

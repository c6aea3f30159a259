"""The template's own editor: placeholders are written as {{name}} and marked by what they are."""

from collections.abc import Callable, Iterator

from nebbet.core import inline
from nebbet.desktop.kit import bodydoc
from nebbet.desktop.kit.paper_edit import Kind, Mark, PaperEdit
from nebbet.desktop.kit.pictures import Pictures


class TemplateEdit(PaperEdit):
    """Marks every {{name}} as kind_of says, and mistyped braces as unknown."""

    def __init__(
        self,
        kind_of: Callable[[str], Kind],
        pictures: Pictures | None = None,
        *,
        single: bool = False,
    ) -> None:
        self._kind_of = kind_of
        super().__init__(pictures, single=single)

    def marks(self) -> Iterator[Mark]:
        for block in bodydoc.blocks(self.document()):
            for match in inline.SLOT.finditer(block.text()):
                start = block.position() + match.start()
                yield Mark(start, block.position() + match.end(), self._kind_of(match["name"]))
            for typo in inline.typos(block.text()):
                start = block.position() + typo.place
                yield Mark(start, start + len(typo.text), "unknown")

    def insert_placeholder(self, name: str) -> None:
        """Put a placeholder at the cursor, in the style that stands there."""
        cursor = self.textCursor()
        cursor.insertText(f"{{{{{name}}}}}")
        self.setTextCursor(cursor)

"""A text on paper: a body or a line, loaded, read and written anew."""

from PySide6.QtGui import QTextBlock, QTextCursor
from PySide6.QtWidgets import QTextEdit

from nebbet.core.body import Body, Frame, Paragraph
from nebbet.core.inline import Line
from nebbet.desktop.kit import theme
from nebbet.desktop.paper import docformat, docread
from nebbet.desktop.paper.docformat import paper_style
from nebbet.desktop.paper.docwrite import ShowSlot, Writer


class PaperText(QTextEdit):
    """Holds the text; what can be done with it lies in objects beside it."""

    names_conditions = True  # whether the words of a condition stand above its part
    keeps_undo = True  # heirs whose text is only a part of what can be undone say False

    def __init__(self, *, single: bool = False) -> None:
        super().__init__()
        self.single, self.frame = single, Frame()
        self._loading = False

    def writer(self, show: ShowSlot | None = None, first_id: int = 1) -> Writer:
        """What writes into this editor in the type of its frame."""
        style = paper_style(self.frame)
        return Writer(
            style,
            show,
            first_id,
            self.widest,
            conditions=self.names_conditions,
        )

    @property
    def widest(self) -> int:
        """How wide a picture can be, in pixels; 0 while that is not known."""
        width = self.viewport().width() - 2 * round(self.document().documentMargin())
        return width if self.isVisible() else 0

    def set_frame(self, frame: Frame) -> None:
        """Take the type and colours of a frame; shown with the next load."""
        self.frame = frame
        self.setPalette(theme.paper_palette(frame.ink, frame.paper))

    def load(self, content: Body | Line, show: ShowSlot | None = None) -> None:
        """Show a body, or a line in a single one; undo begins anew."""
        self._loading = True
        self.document().setUndoRedoEnabled(False)
        self.document().clear()
        writer = self.writer(show)
        cursor = QTextCursor(self.document())
        # What is typed where nothing stands yet looks as what will stand there.
        self.document().setDefaultFont(docformat.char_format(writer.style).font())
        cursor.setCharFormat(docformat.char_format(writer.style))
        if self.single:
            writer.line(cursor, content)  # type: ignore[arg-type]
        else:
            writer.body(cursor, content or (Paragraph(),))  # type: ignore[arg-type]
        self.document().setUndoRedoEnabled(self.keeps_undo)
        self._loaded(writer.next_id)
        self._loading = False
        self.moveCursor(QTextCursor.MoveOperation.Start)

    def _loaded(self, next_id: int) -> None:
        """For heirs that keep an eye on what was loaded."""

    def body(self) -> Body:
        """What stands here, as a body."""
        return docread.read_body(self.document())

    def line(self) -> Line:
        """What stands here, as a line."""
        return docread.read_line(self.document())

    def insert_plain(self, text: str) -> None:
        """Put text at the cursor, over what is selected, in the type that stands there."""
        self.textCursor().insertText(text)

    def rewrite(self, body: Body) -> None:
        """Write another body in the place of all that stands here, as one step."""
        cursor = self.textCursor()
        cursor.beginEditBlock()
        cursor.select(QTextCursor.SelectionType.Document)
        cursor.removeSelectedText()
        self._inserting_writer().body(cursor, body or (Paragraph(),))
        cursor.endEditBlock()

    def _inserting_writer(self) -> Writer:
        """What writes pieces into the text at hand; heirs give it places."""
        return self.writer()

    def spell_text(self, block: QTextBlock) -> str:
        """The text of a block that is to be spelt; heirs blank out what is none of the writer's."""
        return block.text()

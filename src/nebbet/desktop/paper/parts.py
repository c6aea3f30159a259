"""Parts of a text on paper: what they hang on, and moving them as a whole."""

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtGui import QTextBlock, QTextCursor

from nebbet.core import body as bodies
from nebbet.core.body import Body, Paragraph
from nebbet.desktop.paper import docformat, docread
from nebbet.desktop.paper.paper_text import PaperText


class Parts:
    """The parts at the cursor of an editor: their condition, the list that they are repeated over,
    their place."""

    def __init__(self, editor: PaperText) -> None:
        self._editor = editor

    def condition(self) -> str:
        """The condition of the part that the cursor is in, or nothing."""
        return docformat.condition_of(self._editor.textCursor().block())

    def set_condition(self, when: str, *, alone: bool = False) -> None:
        """Let the selected paragraphs, or the part at the cursor, belong only under a condition;
        "" is always. alone takes the paragraph at the cursor and not the part around it. One step
        of undo."""
        self._hang(docformat.WHEN, docformat.condition_of, when, alone=alone)

    def list_over(self) -> str:
        """The list over which the part at the cursor is repeated, or nothing."""
        return docformat.list_of(self._editor.textCursor().block())

    def set_list_over(self, each: str) -> None:
        """Repeat the selected paragraphs, or the part at the cursor, for each member of a list;
        "" is once. One step of undo."""
        self._hang(docformat.EACH, docformat.list_of, each)

    def _hang(
        self, which: int, of: Callable[[QTextBlock], str], value: str, *, alone: bool = False
    ) -> None:
        first, last = self._part_at_cursor(of, alone=alone)
        cursor = QTextCursor(first)
        cursor.beginEditBlock()
        block = first
        while block.isValid():
            cursor.setPosition(block.position())
            docformat.hang(cursor, which, value, first=block == first)
            if block == last:
                break
            block = block.next()
        cursor.endEditBlock()
        self._editor.viewport().update()

    def _part_at_cursor(
        self, of: Callable[[QTextBlock], str], *, alone: bool
    ) -> tuple[QTextBlock, QTextBlock]:
        cursor = self._editor.textCursor()
        first = self._editor.document().findBlock(cursor.selectionStart())
        last = self._editor.document().findBlock(cursor.selectionEnd())
        if of(first) and not cursor.hasSelection() and not alone:
            value = of(first)
            while of(first.previous()) == value:
                first = first.previous()
            while of(last.next()) == value:
                last = last.next()
        return first, last

    def move(self, by: int) -> None:
        """Move the parts at the cursor one part up (-1) or down (1)."""
        self._change_parts(lambda body, span: bodies.moved(body, span, by))

    def duplicate(self) -> None:
        """Put the parts at the cursor once more behind themselves."""
        self._change_parts(bodies.duplicated)

    def remove(self) -> None:
        """Take the parts at the cursor out as a whole."""
        self._change_parts(bodies.removed)

    def set_columns(self, number: int) -> None:
        """Put the parts at the cursor into the first of some columns; 0 takes columns away."""
        self._change_parts(lambda body, span: bodies.in_columns(body, span, number))

    def insert_passage(self, passage: str) -> None:
        """Include a passage behind the paragraph at hand."""
        included = bodies.Included(passage)

        def put(body: Body, span: tuple[int, int]) -> tuple[Body, int]:
            at = span[1] if body else 0
            if at and body[at - 1] == Paragraph(column=body[at - 1].column):
                at -= 1
                body = (*body[:at], *body[at + 1 :])
            column = body[max(at - 1, 0)].column if body else 0
            made = replace(included, column=column)
            return bodies.tidy([*body[:at], made, *body[at:]]), at

        self._change_parts(put)

    def _change_parts(self, change: Callable[[Body, tuple[int, int]], tuple[Body, int]]) -> None:
        """Change the body as a whole and write it anew, as one step."""
        found = docread.read_blocks(self._editor.document())
        cursor = self._editor.textCursor()
        ends = (cursor.selectionStart(), cursor.selectionEnd())
        held = [self._editor.document().findBlock(end).position() for end in ends]
        inside = [i for i, (b, _) in enumerate(found) if held[0] <= b.position() <= held[1]]
        span = (inside[0], inside[-1] + 1) if inside else (len(found), len(found))
        offset = cursor.position() - held[0]
        before = tuple(block for _, block in found)
        made, at = change(before, span)
        if inside:  # the cursor stays in its paragraph, also where that is not the part's first
            held_in, there = before[span[0]], at + span[0] - bodies.first_of(before, span)
            if there < len(made) and replace(made[there], column=held_in.column) == held_in:
                at = there
        self._editor.rewrite(made)
        after = docread.read_blocks(self._editor.document())
        if after:
            block = after[min(at, len(after) - 1)][0]
            cursor.setPosition(block.position() + min(offset, block.length() - 1))
            self._editor.setTextCursor(cursor)

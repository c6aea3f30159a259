"""Below the particulars: the attachments, the checks, and sending."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core import inline
from nebbet.core.checks import Finding
from nebbet.core.letter import Attachment
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.drops import FileDrop
from nebbet.desktop.kit.message_view import size_words
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.writing import in_the_way

_SHOWN = 4
_MARKS = {"stop": "■", "doubt": "▲", "note": "●"}


class Attachments(FileDrop):
    """The files that the letter carries; files can be dropped here."""

    def __init__(self, shared: SharedLibrary, model: LetterModel) -> None:
        super().__init__(self.take_paths)
        self._shared, self._model = shared, model
        self._rows = QVBoxLayout()
        self._shown: tuple[Attachment, ...] | None = None
        self.total = pieces.label("", "note")
        self.add = pieces.button("Add a file…", self.ask_for_files, "words")
        head = pieces.row(pieces.label("Attachments", "heading"), None, self.total, self.add)
        pieces.fill(QVBoxLayout(self), head, pieces.rule(), self._rows, spacing=2)
        pieces.keep_low(self)
        model.replaced.connect(self._show)
        model.reverted.connect(self._show)
        model.worked_out.connect(self._show)

    def _show(self) -> None:
        attachments = self._model.letter.attachments if self._model.letter else ()
        if attachments == self._shown:
            return
        self._shown = attachments
        pieces.clear(self._rows)
        for index, attachment in enumerate(attachments):
            row = self._left_out if attachment.out else self._row
            self._rows.addLayout(row(index, attachment))
        going = [a for a in attachments if not a.out]
        total = sum(a.size for a in going)
        self.total.setText(f"{size_words(total)} in all" if len(going) > 1 else "")

    def _left_out(self, _index: int, attachment: Attachment) -> QHBoxLayout:
        """A file whose condition does not hold: said, with a way to attach it all the same."""
        name = inline.shown(attachment.name, "[{}]".format)
        shown = pieces.label(f"{name}: only if {attachment.when}", "note", wrap=True)
        keep = pieces.button("attach", partial(self._model.keep_part, attachment.when), "words")
        theme.named(keep, f"Attach {name} all the same")
        made = QHBoxLayout()
        pieces.fill(made, pieces.grow(shown), keep)
        return made

    def _row(self, index: int, attachment: Attachment) -> QHBoxLayout:
        name = inline.shown(attachment.name, "[{}]".format)
        shown = pieces.label(name, wrap=True)
        size = pieces.label(size_words(attachment.size), "note")
        drop = pieces.tool("x", f"Leave out {name}", partial(self._model.detach, index))
        made = QHBoxLayout()
        pieces.fill(made, pieces.grow(shown), size, drop)
        return made

    def take_paths(self, paths: list[str]) -> None:
        """Take files into the library and put them here."""
        self._shared.intake.add_files(paths, self._model.attach)


class Checks(QWidget):
    """What was found in the letter. go tells which finding to show on the paper."""

    go = Signal(object)

    def __init__(self, model: LetterModel) -> None:
        super().__init__()
        self._model = model
        self._at = -1
        self._shown: tuple[Finding, ...] | None = None
        self._rows = QVBoxLayout()
        self._state = pieces.label("", "note")
        head = pieces.row(pieces.label("Checks", "heading"), None, self._state)
        pieces.fill(QVBoxLayout(self), head, pieces.rule(), self._rows, spacing=2)
        pieces.keep_low(self)
        model.replaced.connect(self._show)
        model.reverted.connect(self._show)
        model.worked_out.connect(self._show)

    def _show(self) -> None:
        found = self._model.findings if self._model.letter else ()
        if found == self._shown:
            return
        self._shown = found
        self._at = -1
        pieces.clear(self._rows)
        for finding in found[:_SHOWN]:
            self._rows.addLayout(self._row(finding))
        if len(found) > _SHOWN:
            more = f"and {len(found) - _SHOWN} more: F8 goes from one to the next"
            self._rows.addWidget(pieces.label(more, "note"))
        self._state.setText(_summary(found))
        self._state.setObjectName("note" if found else "done")
        self._state.style().polish(self._state)

    def _row(self, finding: Finding) -> QHBoxLayout:
        mark = pieces.label(_MARKS[finding.severity], finding.severity)
        mark.setAccessibleName(finding.severity)
        mark.setFixedWidth(14)
        words = pieces.label(finding.sentence, wrap=True)
        made = QHBoxLayout()
        pieces.fill(made, mark, pieces.grow(words))
        made.setAlignment(mark, Qt.AlignmentFlag.AlignTop)
        show = pieces.button("show", partial(self.go.emit, finding), "words")
        theme.named(show, f"Show: {finding.sentence}")
        made.addWidget(show, 0, Qt.AlignmentFlag.AlignTop)
        if finding.remedy:
            remedy = finding.remedy
            mend = pieces.button("mend", lambda: self._model.mend(remedy), "words")
            theme.named(mend, remedy.words, f"{remedy.words} (Shift+F8)")
            made.addWidget(mend, 0, Qt.AlignmentFlag.AlignTop)
        return made

    def mend(self) -> None:
        """Mend the finding that was shown last, or the first one that can be mended."""
        found = self._model.findings
        shown = found[self._at : self._at + 1] if self._at >= 0 else ()
        remedy = next((f.remedy for f in (*shown, *found) if f.remedy), None)
        if remedy:
            self._model.mend(remedy)

    def next(self) -> None:
        """Show the next finding."""
        found = self._model.findings
        if found:
            self._at = (self._at + 1) % len(found)
            self.go.emit(found[self._at])


def _summary(found: tuple[Finding, ...]) -> str:
    if not found:
        return "nothing found"
    counts = {grade: sum(f.severity == grade for f in found) for grade in _MARKS}
    return ", ".join(f"{n} {grade}{'s' if n > 1 else ''}" for grade, n in counts.items() if n)


class SendControl(QWidget):
    """The button that sends, after asking once about doubts. send is told when all is well."""

    send = Signal(object)  # with the keys of the doubts that were acknowledged
    stopped = Signal(object)

    def __init__(self, model: LetterModel, hold: Callable[[], int]) -> None:
        super().__init__()
        self._model, self._hold = model, hold
        self._accepted: tuple[Finding, ...] = ()
        self.button = pieces.button("Send", self.try_to_send, "primary", "Ctrl+Return")
        self._words = pieces.label("", "note", wrap=True)
        pieces.fill(QVBoxLayout(self), self.button, self._words, spacing=4)
        model.replaced.connect(self._show)
        model.reverted.connect(self._show)
        model.worked_out.connect(self._show)

    def _show(self) -> None:
        sure = bool(self._accepted) and self._accepted == self._model.findings
        if not sure:
            self._accepted = ()
        self.button.setText("Send all the same" if sure else "Send")
        hold = self._hold()
        self._words.setText(f"Held for {hold} seconds; until then it can be taken back.")
        self._words.setVisible(hold > 0)

    def try_to_send(self) -> None:
        """Work the letter out as it is on this day, and send it, or say what stands in the way."""
        self._model.refresh()
        found = self._model.findings
        sure = {f.key for f in self._accepted} if self._accepted == found else set()
        if held := in_the_way(found, sure):
            self._accepted = found if held[0].severity == "doubt" else ()
            self._show()
            self.stopped.emit(held[0])
        else:
            self._accepted = ()
            self.send.emit(sure)

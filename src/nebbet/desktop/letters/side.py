"""Below the particulars: the attachments, the checks, and sending."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QElapsedTimer, Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core import inline
from nebbet.core.checks import Finding
from nebbet.core.letter import Attachment
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.deliberate import DeliberateButton
from nebbet.desktop.kit.drops import FileDrop
from nebbet.desktop.kit.message_view import size_words
from nebbet.desktop.kit.pause import DOUBLE_PRESS
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.writing import in_the_way

UNREAD = 600  # milliseconds in which nobody has read what a doubt says
_SHOWN = 4
_NOT_ASKED: tuple[str, tuple[Finding, ...]] = ("", ())
_MARKS = {"stop": "■", "doubt": "▲", "note": "●"}


class Attachments(FileDrop):
    """The files that the letter carries; files can be dropped here. of_case stands beside what
    adds one."""

    def __init__(self, shared: SharedLibrary, model: LetterModel, of_case: QWidget) -> None:
        super().__init__(self.take_paths)
        self._shared, self._model = shared, model
        self._rows = QVBoxLayout()
        self._shown: tuple[Attachment, ...] | None = None
        self.total = pieces.label("", "note")
        self.add = pieces.button("Add a file…", self.ask_for_files, "words")
        head = pieces.row(
            pieces.label("Attachments", "heading"), None, self.total, of_case, self.add
        )
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

    def _left_out(self, index: int, attachment: Attachment) -> QHBoxLayout:
        """A file that stays behind: why, with a way to attach it all the same."""
        name = inline.shown(attachment.name, "[{}]".format)
        why = said("{name}: left out", name=name)
        act, words = partial(self._model.put_back_attachment, index), said("put back")
        if attachment.when:
            why = said("{name}: only if {condition}", name=name, condition=attachment.when)
            act, words = partial(self._model.keep_part, attachment.when), said("attach")
        shown = pieces.label(why, "note", wrap=True)
        keep = pieces.button(words, act, "words")
        theme.named(keep, said("Attach {name} all the same", name=name))
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
        self._shared.intake.add_files(paths, self._model.attach, for_a_letter=True)


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
    """The button that sends, after asking once about doubts. send is told when all is well; look
    asks for what the checks go by that is looked up, and what is asked for is waited for."""

    send = Signal(object)  # with the keys of the doubts that were acknowledged
    stopped = Signal(object)

    def __init__(
        self, model: LetterModel, hold: Callable[[], int], look: Callable[[], object]
    ) -> None:
        super().__init__()
        self._look = look
        self._model, self._hold = model, hold
        self._accepted: tuple[str, tuple[Finding, ...]] = _NOT_ASKED
        self._asked = QElapsedTimer()
        self._came = ""
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self.button = DeliberateButton(said("Send"))
        pieces.dress_button(self.button, self.try_to_send, "primary", "Ctrl+Return")
        self._words = pieces.label("", "note", wrap=True)
        self.ways = pieces.button(said("Other ways…"), lambda: None, hint="Ctrl+Alt+Return")
        row = pieces.row(pieces.grow(self.button), self.ways, spacing=4)
        pieces.fill(QVBoxLayout(self), row, self._words, spacing=4)
        model.replaced.connect(self._show)
        model.reverted.connect(self._show)
        model.worked_out.connect(self._show)

    def _show(self) -> None:
        sure = self._is_sure()
        if not sure:
            self._accepted = _NOT_ASKED
        self.button.setText("Send all the same" if sure else "Send")
        hold = self._hold()
        self._words.setText(f"Held for {hold} seconds; until then it can be taken back.")
        self._words.setVisible(hold > 0)

    def rest(self) -> None:
        """Take no send for a moment for the letter at hand: it has come by itself where the one
        that went was."""
        self._came = self._model.letter.id if self._model.letter else ""
        self._rest.start(DOUBLE_PRESS)

    def _is_sure(self) -> bool:
        """Whether the doubts of this very letter have been put to the person, and are the same."""
        letter, found = self._model.letter, self._model.findings
        return letter is not None and bool(found) and self._accepted == (letter.id, found)

    def try_to_send(self) -> None:
        """Work the letter out as it is on this day, and send it, or say what stands in the way."""
        letter = self._model.letter
        if letter is None or (self._rest.isActive() and letter.id == self._came):
            return
        self._look()
        if self._model.once_known(self.try_to_send):
            return
        self._model.refresh()
        found = self._model.findings
        is_sure = self._is_sure()
        if is_sure and self._asked.elapsed() < UNREAD:
            return  # a press that came twice: nobody has read the doubt yet
        sure = {f.key for f in found} if is_sure else set()
        if held := in_the_way(found, sure):
            asked = held[0].severity == "doubt"
            self._accepted = (letter.id, found) if asked else _NOT_ASKED
            self._asked.start()
            self._show()
            self.stopped.emit(held[0])
        else:
            self._accepted = _NOT_ASKED
            self.send.emit(sure)

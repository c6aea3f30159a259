"""An arrived message on the paper: whom it is from, what it is about, and what may answer it."""

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from nebbet.core.message.answering import own_words
from nebbet.core.message.bounces import Bounce
from nebbet.core.message.head import Head
from nebbet.core.ranking.suggesting import Suggestion
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.message_view import MessageView
from nebbet.desktop.letters.message_files import MessageFiles
from nebbet.desktop.session.arrived import ArrivedMail, Opened
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.disk import write_file

_BEST = 3
_SOURCE = 500_000  # bytes of a message that are shown as they came
_TYPED_INTO = (QLineEdit, QTextEdit, QPlainTextEdit)


class ArrivedView(QWidget):
    """Shows one message. answer tells the message, the template to answer with (empty: still to be
    chosen), and whether the answer is for all; hand_on that it is to go to somebody else; person
    that somebody's page is wanted, by their id, keep that its writer is to be kept, letter that
    a letter of the register is to be shown."""

    answer = Signal(object, str, bool)
    hand_on = Signal(object)
    person = Signal(str)
    keep = Signal(object)
    letter = Signal(str)

    def __init__(self, shared: SharedLibrary, mail: ArrivedMail, opened: Path) -> None:
        super().__init__()
        self._shared, self._mail = shared, mail
        self._files = MessageFiles(shared, opened)
        self.key = ""
        self.opened: Opened | None = None
        self.reply = pieces.button(said("Answer"), self.answer_one, "primary", "Ctrl+R")
        self.all = pieces.button(said("Answer all"), self.answer_all, hint="Ctrl+Shift+Y")
        self.on = pieces.button(said("Hand on"), self.hand_it_on, hint="Ctrl+Alt+W")
        self.mine = pieces.button(said("Take it"), self.take, hint="Ctrl+Alt+M")
        self.save = pieces.button(said("Save…"), self.ask_where, "words")
        self.source = pieces.button(said("Source"), self.show_source, "words", "Ctrl+Alt+U")
        self.file = pieces.button(said("Done: file it"), self.file_away, hint="Ctrl+Alt+X")
        self.about = pieces.label("", "", wrap=True)
        self.page = pieces.button("", self.show_writer, "words", "Ctrl+Alt+I")
        self.view = MessageView()
        self.view.failed.connect(shared.voice.fail)
        self.fold = pieces.button("", self._unfold, "words")
        self._offers = QVBoxLayout()
        self.offers: list[QPushButton] = []
        self._is_source = False
        self._lay_out()
        for number in range(_BEST):
            key = QShortcut(QKeySequence(str(number + 1)), self)
            key.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            key.activated.connect(partial(self.answer_with, number))
        mail.changed.connect(self._show_state)

    def _lay_out(self) -> None:
        acts = pieces.row(
            self.reply, self.all, self.on, self.mine, self.file, None, self.source, self.save
        )
        about = pieces.row(pieces.grow(self.about), self.page)
        head = QWidget()
        pieces.fill(QVBoxLayout(head), acts, about, margin=16)
        foot = QWidget()
        self._heading = pieces.label(said("Answer with"), "heading")
        pieces.fill(QVBoxLayout(foot), self.fold, self._heading, self._offers, margin=16, spacing=4)
        pieces.keep_low(foot)
        whole = pieces.fill(QVBoxLayout(self), head, pieces.rule(), self.view, foot, spacing=0)
        whole.setStretch(2, 1)

    # Showing

    def show_head(self, head: Head) -> None:
        """Begin to show a message of a mailbox."""
        self.key, self.opened = head.key, None
        self._clear(said("Fetching the message from your mailbox…"))
        self._mail.open(head, partial(self._came, head.key))

    def show_file(self, data: bytes, name: str) -> None:
        """Begin to show a message that came as a file."""
        self.key, self.opened = f"file\n{name}", None
        self._clear(said("Reading the message…"))
        self._mail.open_data(data, partial(self._came, self.key))

    def _clear(self, words: str) -> None:
        self._is_source = False
        self.source.setText(said("Source"))
        self.about.setText(words)
        self.page.hide()
        self.view.hide()
        self.fold.hide()
        self._show_offers()
        self._show_state()

    def _came(self, key: str, opened: Opened) -> None:
        if key != self.key:
            return
        self.opened = opened
        self._show_about(opened)
        self.view.acts = [(said("Open it outside"), self._files.open_outside)]
        for case in opened.about.cases:
            words = said("Put it with {number}", number=case.number)
            self.view.acts.append((words, partial(self._files.put_with, case)))
        self.view.show_message(opened.received)
        self.view.show()
        self._fold(opened)
        self._show_offers()
        self._show_state()
        # It may have taken a while: whoever types somewhere by now goes on typing.
        if self.isVisible() and not isinstance(QApplication.focusWidget(), _TYPED_INTO):
            self.view.reader.setFocus()

    def _fold(self, opened: Opened) -> None:
        """Show what the message says itself; what it quotes is there at a click."""
        plain = opened.received.plain.replace("\r\n", "\n").strip()
        own = own_words(opened.received)
        quoted = len(plain.splitlines()) - len(own.splitlines())
        folds = bool(own) and quoted > 2 and not opened.received.html
        if folds:
            self.view.reader.setPlainText(own)
        self.fold.setText(counted("Show 1 quoted line", "Show {count} quoted lines", count=quoted))
        self.fold.setVisible(folds)

    def _unfold(self) -> None:
        if self.opened:
            self.view.reader.setPlainText(self.opened.received.plain)
        self.fold.hide()

    def show_source(self) -> None:
        """Show the message as it came over the line, with all its headers, or as it reads again."""
        if self.opened is None:
            return
        if self._is_source:
            self.view.show_message(self.opened.received)
            self._fold(self.opened)
        else:
            self.view.reader.setPlainText(self.opened.data[:_SOURCE].decode("utf-8", "replace"))
            self.fold.hide()
        self._is_source = not self._is_source
        self.source.setText(said("As it reads") if self._is_source else said("Source"))

    def _show_about(self, opened: Opened) -> None:
        if opened.bounces:
            self._show_bounce(opened.bounces)
            return
        person, cases = opened.about.person, opened.about.cases
        sender = opened.fields.sender
        name = person.contact.name if person else sender.name or sender.spec
        words = said("From {name}, who is not on file.", name=name or "–")
        if person:
            words = said("From {name}.", name=name or person.contact.email)
        if len(cases) == 1:
            case = cases[0]
            words += " " + said("About {kind} {number}.", kind=case.kind, number=case.number)
        elif cases:
            numbers = ", ".join(case.number for case in cases)
            words += " " + said("It names several cases: {numbers}.", numbers=numbers)
        self.about.setText(words)
        self.page.setText(said("Their page") if person else said("Keep them"))
        self.page.setVisible(bool(person) or bool(sender.spec))

    def _show_bounce(self, bounces: tuple[Bounce, ...]) -> None:
        """Which letter came back, and why."""
        lines = []
        for one in bounces:
            line = said("The letter to {address} came back: {why}. {words}", address=one.address,
                        why=one.why, words=one.words)  # fmt: skip
            if one.is_late:
                line = said("The letter to {address} is late: {why}. {words}",
                            address=one.address, why=one.why, words=one.words)  # fmt: skip
            lines.append(line.strip())
        self.about.setText("\n".join(lines))
        self.page.setText(said("The letter"))
        self.page.setVisible(bool(bounces[0].letter))

    def _show_offers(self) -> None:
        pieces.clear(self._offers)
        self.offers = []
        found = self.opened.suggestions if self.opened else ()
        known = self._shared.catalogue.templates
        for number, one in enumerate(found[:_BEST]):
            title = known[one.key].title if one.key in known else one.key
            made = pieces.button(f"{number + 1}   {title}", partial(self.answer_with, number))
            theme.named(made, title, said("Answer with this template: {key}", key=number + 1))
            why = pieces.label(_why(one), "note")
            self.offers.append(made)
            self._offers.addLayout(pieces.row(made, why, None))
        other = pieces.button(said("Another template…"), self.answer_one, "words", "Ctrl+J")
        words = "" if found or self.opened is None else said("No template fits by its words.")
        none = pieces.label(words, "note")
        row: list[QWidget | None] = [other, none, None]
        learned = [one.key for one in found[:_BEST] if one.before]
        if learned and self._shared.leads:
            self.forget = pieces.button(
                said("Forget what was learned"),
                partial(self._mail.noticed.forget, learned),
                "words",
            )
            row.append(self.forget)
        self._offers.addLayout(pieces.row(*row))

    def _show_state(self) -> None:
        head = self._mail.heads.get(self.key)
        me = self._shared.my_id
        for one in (self.mine, self.file):
            one.setVisible(head is not None)
        for one in (self.reply, self.all, self.on, self.source, self.save):
            one.setEnabled(self.opened is not None)
        if head is None:
            return
        whose = self._mail.noticed.whose(head)
        member = self._shared.catalogue.members.get(whose)
        if whose == me and me:
            self.mine.setText(said("Give it back"))
        elif whose:
            self.mine.setText(said("{name} has it", name=member.name if member else whose))
        else:
            self.mine.setText(said("Take it"))
        self.mine.setEnabled(not whose or whose == me)

    # Acts

    def answer_one(self) -> None:
        """Answer whoever wrote it."""
        if self.opened:
            self.answer.emit(self.opened, "", False)

    def answer_all(self) -> None:
        """Answer whoever wrote it, with a copy to the others."""
        if self.opened:
            self.answer.emit(self.opened, "", True)

    def answer_with(self, number: int) -> None:
        """Answer with one of the templates that were suggested."""
        if self.opened and number < len(self.opened.suggestions):
            self.answer.emit(self.opened, self.opened.suggestions[number].key, False)

    def hand_it_on(self) -> None:
        """Hand the message on to somebody else."""
        if self.opened:
            self.hand_on.emit(self.opened)

    def take(self) -> None:
        """Mark the message as one's own, or give it back."""
        if head := self._mail.heads.get(self.key):
            self._mail.take(head)

    def file_away(self) -> None:
        """Move the message into the folder for those that are done."""
        if head := self._mail.heads.get(self.key):
            self._mail.file_away(head, said("Done"))

    def show_writer(self) -> None:
        """Show the page of whoever wrote it, or keep them; of a report, the letter."""
        if self.opened and self.opened.bounces:
            self.letter.emit(self.opened.bounces[0].letter)
        elif self.opened and self.opened.about.person:
            self.person.emit(self.opened.about.person.contact.id)
        elif self.opened:
            self.keep.emit(self.opened)

    def ask_where(self) -> None:
        """Choose where the message is to lie as a file."""
        if self.opened is None:
            return
        stem = "".join(c if c.isalnum() or c in " -_" else "_" for c in self.opened.fields.subject)
        where, _ = QFileDialog.getSaveFileName(
            self.window(), said("Where is it to lie?"), f"{stem[:60].strip() or 'message'}.eml",
            "*.eml",
        )  # fmt: skip
        if where:
            self.save_to(Path(where))

    def save_to(self, path: Path) -> None:
        """Write the message, as it came, into a file."""
        if (opened := self.opened) is None:
            return
        shared = self._shared
        shared.reads.run(
            lambda: write_file(path, opened.data, overwrite=True),
            lambda _done: shared.voice.say(said("{name} is written.", name=path.name)),
            shared.voice.fail,
        )


def _why(found: Suggestion) -> str:
    """Why a template is suggested: words, and what the team answered before."""
    words = said("because of: {words}", words=", ".join(found.words))
    if not found.before:
        return words
    before = counted("answered so once before", "answered so {count} times before",
                     count=found.before)  # fmt: skip
    return said("{why}; {before}", why=words, before=before)

"""The letter being written, worked out anew by the core after every change."""

from collections.abc import Callable
from typing import Protocol

from msgspec.structs import replace
from PySide6.QtCore import QElapsedTimer, QObject, Qt, Signal

from nebbet.core import checks
from nebbet.core import letter as letters
from nebbet.core.body import Body
from nebbet.core.checks import Finding, Remedy
from nebbet.core.inline import Line
from nebbet.core.letter import Enclosure, Letter
from nebbet.core.placeholders import Particular
from nebbet.core.records import Matter, Person, fold
from nebbet.desktop.kit.member_form import LANGUAGES
from nebbet.desktop.paper.fillings import Filling, fillings_of
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.addressing import about_case, for_recipient, in_other_language
from nebbet.library.catalogue import Catalogue
from nebbet.library.holdings import Template
from nebbet.library.rewording import newer_edition, started_over, take_over
from nebbet.library.writing import NO_OTHERS, Others, Writer, examine

TOGETHER = 1500  # milliseconds within which typing is one act


class Keeping(Protocol):
    """What keeps a letter as it is written: the pile, or the row of a round."""

    def keep(self, letter: Letter) -> object:
        """Keep a letter as it is now."""


class LetterModel(QObject):
    """Holds one open letter. catalogue gives what it is worked out with: the library, unless that
    of another moment is wanted.

    replaced says that another text is shown now, reverted that an earlier or later state of it is
    back; worked_out that values, attachments or findings are new. Every change is kept by letters.
    """

    replaced = Signal()
    reverted = Signal()
    worked_out = Signal()

    def __init__(
        self,
        shared: SharedLibrary,
        letters: Keeping,
        catalogue: Callable[[], Catalogue] | None = None,
    ) -> None:
        super().__init__()
        self._shared, self._letters = shared, letters
        self._catalogue = catalogue or (lambda: shared.catalogue)
        self.letter: Letter | None = None
        self.particulars: tuple[Particular, ...] = ()
        self.findings: tuple[Finding, ...] = ()
        self.values: dict[str, Filling] = {}
        self._others = NO_OTHERS
        self._past: list[Letter] = []
        self._future: list[Letter] = []
        self._last_act = ""
        self._since = QElapsedTimer()
        shared.changed.connect(self.refresh)

    def once_known(self, act: Callable[[], object]) -> bool:
        """Do something once whoever was typed into the letter is known; says whether that is not
        yet."""
        people = self._shared.people
        if people.is_busy:
            people.idle.connect(act, Qt.ConnectionType.SingleShotConnection)
        return people.is_busy

    # What is shown

    def show(self, letter: Letter | None) -> None:
        """Take up another letter, or none; what was done to the last one cannot be undone."""
        self.letter, self._others = letter, NO_OTHERS
        self._past, self._future, self._last_act = [], [], ""
        if letter:
            self._work_out(letter)
        self.replaced.emit()

    def refresh(self) -> None:
        """Work the letter out again: the library has changed."""
        if self.letter:
            self._work_out(self.letter)
            self.worked_out.emit()

    def _work_out(self, letter: Letter) -> None:
        found = examine(self._catalogue(), letter, self.writer())
        self.letter, self.particulars, self.findings = (
            found.letter, found.particulars, found.findings,
        )  # fmt: skip
        today = self._shared.now().date()
        self.values = fillings_of(self.letter, self.particulars, today)

    def writer(self) -> Writer:
        """Who writes the letter at hand, with what is known of others in it."""
        return replace(self._shared.writer(), others=self._others)

    def know_others(self, others: Others) -> None:
        """Take what was found of others in the letter at hand."""
        if others != self._others:
            self._others = others
            self.refresh()

    def _change(self, letter: Letter, act: str = "", *, text: bool = False) -> None:
        """Take a new state; text says that the words on the paper are other ones.

        Changes of the same act in quick succession, such as typing, are undone together.
        """
        goes_on = act and act == self._last_act and self._since.elapsed() < TOGETHER
        if self.letter and not goes_on:
            self._past.append(self.letter)
        self._last_act = act
        self._since.start()
        self._future.clear()
        self._take(letter)
        (self.replaced if text else self.worked_out).emit()

    def _take(self, letter: Letter) -> None:
        self._work_out(letter)
        if self.letter:
            self._letters.keep(self.letter)

    def undo(self) -> None:
        """Take back the last change: text, values, recipient, attachments, whatever it was."""
        self._step(self._past, self._future)

    def redo(self) -> None:
        """Do again what was taken back."""
        self._step(self._future, self._past)

    def _step(self, source: list[Letter], target: list[Letter]) -> None:
        if self.letter and source:
            target.append(self.letter)
            self._last_act = ""
            self._take(source.pop())
            self.reverted.emit()

    # Changes by the person

    def type_value(self, name: str, text: str) -> None:
        """A person gave a value; the worked-out one, typed again, counts as untouched."""
        if self.letter is None:
            return
        found = next((p for p in self.particulars if fold(p.name) == fold(name)), None)
        same = found is not None and found.default is not None and text == found.default
        answered = letters.answer(self.letter, name, None if same else text)
        self._change(answered, f"value {fold(name)}")

    def put_back(self, name: str) -> None:
        """Put the worked-out value back."""
        if self.letter:
            self._change(letters.answer(self.letter, name, None))

    def take_line(self, part: str, line: Line) -> None:
        """A person reworded the subject or the copies."""
        if self.letter and line != getattr(self.letter, part):
            self._change(replace(self.letter, **{part: line}), self._text_act(part))

    def take_body(self, body: Body) -> None:
        """A person reworded the body."""
        if self.letter and body != self.letter.body:
            # A new paragraph is a step of its own.
            act = "body" if len(body) == len(self.letter.body) else f"body of {len(body)}"
            self._change(replace(self.letter, body=body), self._text_act(act))

    def _text_act(self, part: str) -> str:
        """Typing into a place changes its value and then the text round it: that is one act."""
        return self._last_act if self._last_act.startswith("value ") else part

    def set_recipient(self, person: Person | None, act: str = "") -> None:
        """Choose the person; a case of somebody else goes, an only case comes along."""
        if self.letter:
            self._address(for_recipient(self._catalogue(), self.letter, person), act)

    def set_case(self, matter: Matter | None) -> None:
        """Choose the case; its contact comes along."""
        if self.letter:
            self._address(about_case(self._catalogue(), self.letter, matter))

    def _address(self, letter: Letter, act: str = "") -> None:
        other = self.letter is not None and letter.language != self.letter.language
        self._change(letter, act, text=other)

    def follow(self, letter: Letter) -> None:
        """Take the recipient and the case as they are on file now."""
        self._change(letter)

    def set_language(self, code: str) -> None:
        """Write in another language: with the template's own text in it where the words are still
        the template's."""
        if self.letter and code != self.letter.language:
            self._address(in_other_language(self._catalogue(), self.letter, code))

    def languages(self) -> list[str]:
        """The languages that the letter's template has, or, without one, those of the team."""
        template = self._catalogue().templates.get(self.letter.template if self.letter else "")
        codes = list(template.content.texts) if template else list(LANGUAGES)
        if self.letter and self.letter.language not in codes:
            codes.append(self.letter.language)
        return codes

    def attach(self, enclosure: Enclosure) -> None:
        """Attach a file of the library."""
        if self.letter:
            added = letters.attachment_for(enclosure)
            self._change(replace(self.letter, attachments=(*self.letter.attachments, added)))

    def set_quoted(self, quoted: Body) -> None:
        """Quote something under the text, or nothing."""
        if self.letter and quoted != self.letter.quoted:
            self._change(replace(self.letter, quoted=quoted))

    def detach(self, index: int) -> None:
        """Leave an attachment out; it can be put back."""
        self._change_attachment(index, out=True)

    def put_back_attachment(self, index: int) -> None:
        """Let an attachment go along that was left out, whatever it hung on."""
        self._change_attachment(index, out=False)

    def _change_attachment(self, index: int, *, out: bool) -> None:
        if self.letter:
            changed = list(self.letter.attachments)
            changed[index] = replace(changed[index], out=out, when="")
            self._change(replace(self.letter, attachments=tuple(changed)))

    def mend(self, remedy: Remedy) -> None:
        """Apply a finding's remedy."""
        if self.letter:
            words = remedy.action not in ("drop attachment", "answer")
            self._change(checks.apply(self.letter, remedy), text=words)

    def keep_part(self, when: str) -> None:
        """Keep a part that a condition would leave out."""
        if self.letter:
            self._change(letters.keep_part(self.letter, when, keep=True), text=True)

    def start_over(self, template: Template) -> None:
        """Take a template in the place of all that is written; the recipient and case stay."""
        if self.letter:
            catalogue = self._catalogue()
            self._change(started_over(catalogue, self.letter, template), text=True)

    def take_words(self, subject: str, body: Body) -> None:
        """Take other words for subject and text: somebody's own, no longer a template's."""
        if self.letter:
            self._change(replace(self.letter, subject=(subject,), body=body), text=True)

    def newer_edition(self) -> Template | None:
        """The letter's template, if there is a newer edition of it than the letter was begun
        with."""
        return newer_edition(self._catalogue(), self.letter) if self.letter else None

    def take_over(self, old: Template, new: Template) -> bool:
        """Take over what changed from one edition to another, and keep what was typed. Returns
        whether the writer had changed the same somewhere."""
        letter = self.letter
        if letter is None or letter.template != new.id:
            return False
        shared = self._shared
        taken, clashed = take_over(shared.catalogue, letter, old, new, shared.writer())
        self._change(taken, text=True)
        return clashed

    def declare(self, template: Template) -> None:
        """Take over a template's placeholders, for a body that is put at the cursor."""
        if self.letter:
            content = self._catalogue().included(template.content)
            merged = letters.merge_declared(self.letter.placeholders, content.placeholders)
            self._change(replace(self.letter, placeholders=merged))

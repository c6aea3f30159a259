"""The page of proposals: what colleagues would change, why, and what a lead says of it."""

from functools import cached_property

import msgspec
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QStackedWidget, QVBoxLayout, QWidget

from nebbet.core.comparing import Merged
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, TemplateDraft
from nebbet.core.sentences import said
from nebbet.desktop.editions.comparison import ComparisonView
from nebbet.desktop.editions.history import show_comparison
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.template.try_it import TryIt
from nebbet.library.changes import Change
from nebbet.library.drafting import merged_with, state_of
from nebbet.library.examples import example_cases
from nebbet.library.holdings import MovedOn, Proposal, Template

_STATES = {"waiting": "waits", "accepted": "accepted", "declined": "declined",
           "withdrawn": "taken back"}  # fmt: skip
_TONES = {"waiting": "ochre_edge", "accepted": "spruce", "declined": "brick"}


class Proposals(Place):
    """The proposals, those that wait first; the one at hand compared with what is in use.

    left tells that the person goes back, amend that a draft of a template is to be opened in the
    editor, with the proposal that it answers.
    """

    title = "Proposals"
    help = (
        "What colleagues propose, with their reason. The right side shows what would change. A "
        "lead tries it with a case (Ctrl+T), puts it in use (Ctrl+Shift+S), opens it in the editor "
        "to amend it (Ctrl+E), or declines it with a word; whoever proposed it sees the outcome "
        "here, and can take back what still waits."
    )
    amend = Signal(object, object, bytes)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self.merged: Merged | None = None
        self.list = ChoiceList("Proposals")
        self.view = ComparisonView()
        self._middle = QStackedWidget()
        self.answer = QLineEdit()
        self.back = pieces.button("Back (Esc)", self.leave)
        self.accept_button = pieces.button("Put in use", self.accept, "primary", "Ctrl+Shift+S")
        self.amend_button = pieces.button("Amend in the editor", self.amend_it, hint="Ctrl+E")
        self.try_button = pieces.button("Try it", self.try_it, hint="Ctrl+T")
        self.decline_button = pieces.button("Decline", self.decline)
        self.withdraw_button = pieces.button("Take back", self.withdraw)
        self._heading = pieces.label("", "title", wrap=True)
        self.reason = pieces.label("", "", wrap=True)
        self.note = pieces.label("", "note", wrap=True)
        self._lay_out()
        self.list.currentItemChanged.connect(lambda *_: self._show())
        self.add_key("Put the proposal in use", "Ctrl+Shift+S", self.accept)
        self.add_key("Try it with a case", "Ctrl+T", self.try_it)
        self.add_key("Amend in the editor", "Ctrl+E", self.amend_it)
        self.add_key("Back", "Esc", self.leave)

    def _lay_out(self) -> None:
        theme.named(self.answer, "A word to the proposer")
        self.answer.setPlaceholderText("A word to whoever proposed it")
        left = pieces.column("left", pieces.row(self.back, None), self.list, margin=8)
        left.setFixedWidth(300)
        right = QWidget()
        self._middle.addWidget(self.view)
        self.acting = QWidget()
        pieces.fill(
            QHBoxLayout(self.acting),
            pieces.grow(self.answer),
            self.decline_button,
            self.try_button,
            self.amend_button,
            self.accept_button,
        )
        pieces.fill(
            QVBoxLayout(right),
            self._heading,
            self.reason,
            self.note,
            pieces.grow(self._middle),
            self.acting,
            pieces.row(None, self.withdraw_button),
            margin=12,
        )
        pieces.fill(QHBoxLayout(self), left, pieces.grow(right), spacing=0)

    def arrive(self) -> None:
        self.list.setFocus()

    def follow(self, change: Change) -> None:
        """The library has changed."""
        if change.touches("proposal", "template", "member"):
            self.refresh()

    # Showing

    def refresh(self) -> None:
        """Show the proposals as they are now."""
        catalogue = self._shared.catalogue
        found = sorted(
            catalogue.proposals.values(), key=lambda p: (p.state != "waiting", -p.made.timestamp())
        )
        self.list.show_choices(
            [
                Choice(
                    proposal.id,
                    proposal.title,
                    self._by(proposal),
                    aside=_STATES[proposal.state],
                    tone=_TONES.get(proposal.state, ""),
                )
                for proposal in found
            ],
            keep=self.list.key,
        )
        if not self.list.key:
            self.list.choose_first()
        self._show()

    def _by(self, proposal: Proposal) -> str:
        author = self._shared.catalogue.members.get(proposal.author)
        name = author.name if author else proposal.author
        return f"{name}, {proposal.made.astimezone():%d %b}: {proposal.reason or 'no reason given'}"

    @property
    def at(self) -> Proposal | None:
        """The proposal at hand."""
        return self._shared.catalogue.proposals.get(self.list.key)

    def _show(self) -> None:
        proposal = self.at
        self.merged = None
        self._middle.setCurrentIndex(0)
        self.view.show_sections((), "", "")
        self.acting.hide()
        self.withdraw_button.hide()
        if proposal is None:
            self._heading.setText("No proposals")
            self.reason.setText("What colleagues propose shows up here, with their reason.")
            self.note.clear()
            return
        self._heading.setText(proposal.title)
        self.reason.setText(self._by(proposal))
        self.note.setText(self._outcome(proposal))
        library = self._shared.library
        self._shared.operations.run(
            lambda: (proposal, library.editions(proposal.template)),
            self._compare,
            self._shared.voice.fail,
        )

    def _outcome(self, proposal: Proposal) -> str:
        if proposal.state == "waiting":
            return ""
        decider = self._shared.catalogue.members.get(proposal.decider)
        by = f" by {decider.name}" if decider else ""
        day = f", {proposal.decided.astimezone():%d %b}" if proposal.decided else ""
        word = f": “{proposal.answer}”" if proposal.answer else ""
        return f"{_STATES[proposal.state].capitalize()}{by}{day}{word}"

    def _compare(self, found: tuple[Proposal, list[Template]]) -> None:
        """Show what the proposal would change of the edition in use, or of the one it was made
        after where it was decided already."""
        proposal, editions = found
        if self.at != proposal:
            return
        made = TemplateDraft(proposal.title, proposal.shelf, proposal.content, proposal.base)
        editions = [edition for edition in editions if edition.edition]
        base = next((e for e in editions if e.edition == proposal.base), None)
        before = state_of(base) if base else TemplateDraft("", proposal.shelf, Content())
        name = f"Edition {proposal.base}" if base else "Nothing yet"
        if proposal.state == "waiting":
            self.merged = Merged(made)
            if editions and editions[0].edition != proposal.base:
                self.merged = merged_with(made, editions)
                before, name = state_of(editions[0]), f"Edition {editions[0].edition}"
                self.note.setText(_moved(proposal, editions[0], self.merged))
            made = self.merged.draft
            self._offer(proposal)
        show_comparison(self.view, self._shared.catalogue, (name, before), ("Proposed", made))

    def _offer(self, proposal: Proposal) -> None:
        leads = self._shared.leads
        clashes = self.merged is not None and bool(self.merged.clashes)
        self.acting.setVisible(leads)
        self.accept_button.setEnabled(not clashes)
        self.withdraw_button.setVisible(proposal.author == self._shared.my_id)

    # Acts

    def accept(self) -> None:
        """Put the proposal in use as the next edition."""
        proposal, merged, shared = self.at, self.merged, self._shared
        if proposal is None or merged is None or not self.acting.isVisible():
            return
        if merged.clashes:
            shared.voice.say("Both changed the same: amend it in the editor first (Ctrl+E).")
            return
        draft, answer, me = merged.draft, self.answer.text().strip(), shared.my_id
        library, now = shared.library, shared.now()
        shared.change(
            lambda: library.accept(proposal, draft.content, draft.title, answer, me, now,
                based_on=draft.edition,
            ),
            lambda number: self._done(f"Edition {number} of “{draft.title}” is in use."),
            self._failed,
            once=f"decide {proposal.id}",
        )  # fmt: skip

    def _failed(self, error: NebbetError) -> None:
        """Somebody was quicker: show what is so now."""
        if isinstance(error, MovedOn):
            self._shared.voice.say(
                f"Edition {error.number} came meanwhile. Look at the comparison again."
            )
        else:
            self._shared.voice.fail(error)
        self._shared.refresh()

    def amend_it(self) -> None:
        """Open the proposal in the editor; what is put in use there answers it."""
        proposal, merged = self.at, self.merged
        if proposal is None or merged is None or not self.acting.isVisible():
            return
        known = self._shared.catalogue.templates.get(proposal.template)
        template = known or Template(
            proposal.template, proposal.shelf, proposal.title, "draft", False, 0, Content()
        )
        before = self._shared.own.drafts.get(template.id)
        self.amend.emit(template, proposal, msgspec.json.encode(merged.draft))
        if before is not None:
            self._shared.voice.say(
                said(
                    "You had a draft of “{title}” of your own: it made room for the proposal.",
                    title=template.title,
                ),
                said("Back to my draft"),
                lambda: self.amend.emit(template, None, before),
            )

    def try_it(self) -> None:
        """Show the letter that the template would be with the proposal, for cases that fit."""
        if self._middle.currentIndex() > 0:
            self._back_to_comparison()
        elif (proposal := self.at) is not None:
            catalogue = self._shared.catalogue
            draft = self.merged.draft if self.merged else None
            content = draft.content if draft else proposal.content
            cases = example_cases(catalogue, content, proposal.title)
            self.trial.show_content(content, next(iter(content.texts)), cases)
            self._middle.setCurrentWidget(self.trial)
            self.trial.case.setFocus()

    @cached_property
    def trial(self) -> TryIt:
        """The letter that a template would be with what is proposed."""
        made = TryIt(self._shared)
        made.left.connect(self._back_to_comparison)
        self._middle.addWidget(made)
        return made

    def _back_to_comparison(self) -> None:
        self._middle.setCurrentIndex(0)
        self.list.setFocus()

    def leave(self) -> None:
        """Go back one step: from the trial to the comparison, then to the shelves."""
        if self._middle.currentIndex() > 0:
            self._back_to_comparison()
        else:
            self.left.emit()

    def decline(self) -> None:
        """Say no, with a word to whoever proposed it."""
        proposal, shared = self.at, self._shared
        if proposal is None or not self.acting.isVisible():
            return
        answer, me, now = self.answer.text().strip(), shared.my_id, shared.now()
        if not answer:
            shared.voice.say("Say in one line why, so that the proposer knows.")
            self.answer.setFocus()
            return
        library = shared.library
        shared.change(
            lambda: library.decline(proposal.id, answer, me, now),
            lambda _result: self._done("The proposal is declined; its author sees your word."),
            self._failed,
            once=f"decide {proposal.id}",
        )

    def withdraw(self) -> None:
        """Take one's own proposal back."""
        proposal, shared = self.at, self._shared
        if proposal is None:
            return
        library, now = shared.library, shared.now()
        shared.change(
            lambda: library.withdraw(proposal.id, now),
            lambda _result: self._done("The proposal is taken back."),
            self._failed,
            once=f"decide {proposal.id}",
        )

    def _done(self, said: str) -> None:
        self.answer.clear()
        self._shared.voice.say(said)
        self.list.setFocus()


def _moved(proposal: Proposal, newest: Template, merged: Merged) -> str:
    began = f"Written after edition {proposal.base}; edition {newest.edition} is in use by now. "
    if merged.clashes:
        return (
            f"{began}Both changed the same: {', '.join(merged.clashes)}. The proposal's wording "
            "is shown; amend it in the editor."
        )
    return f"{began}The two do not touch: below is what both make together."

"""A letter that is offered since a case changed: what changed, to whom it would go, and a yes or a
no."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.paper.letter_shown import LetterShown
from nebbet.desktop.session.session import Session
from nebbet.library.prompts import Offer
from nebbet.library.writing import begin_for


class OfferView(QWidget):
    """write tells that somebody wants the letter, leave that it is not needed."""

    write = Signal(object)
    leave = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._offer: Offer | None = None
        self.shown = LetterShown(session.shared.pictures)
        self.title = pieces.label("", "title", wrap=True)
        self.words = pieces.label("", wrap=True)
        self.yes = pieces.button(said("Write it"), self._write, "primary")
        self.no = pieces.button(said("Not needed"), self._leave)
        pieces.fill(
            QVBoxLayout(self), self.title, self.words, pieces.row(self.yes, self.no, None),
            pieces.rule(), self.shown, margin=24, spacing=12,
        )  # fmt: skip
        self.shown.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_offer(self, offer: Offer) -> None:
        """Show what is offered, and why."""
        self._offer = offer
        case, contact = offer.matter.case, offer.matter.contact
        shared = self._session.shared
        template = shared.catalogue.templates.get(offer.template)
        if template is not None:
            letter = begin_for(shared.catalogue, template, "", recipient=contact, case=case)
            self.shown.show_worked_out(shared.catalogue, letter, shared.writer())
        self.title.setText(f"{case.kind} {case.number}".strip())
        name = contact.name or contact.email if contact else said("nobody yet")
        self.words.setText(
            said(
                "This case has changed ({state}). The letter “{title}” to {name} is ready to be "
                "looked at. Nothing goes by itself.",
                state=case.state or case.title or case.number,
                title=template.title if template else "", name=name,
            )
        )  # fmt: skip

    def _write(self) -> None:
        if self._offer:
            self.write.emit(self._offer)

    def _leave(self) -> None:
        if self._offer:
            self.leave.emit(self._offer)

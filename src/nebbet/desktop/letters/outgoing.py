"""A letter in the outbox: where it stands, and what can be done about it."""

from datetime import datetime

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core.message.received import Received
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.message_view import MessageView
from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.session.sending import Sending
from nebbet.personal.items import RETURNABLE, UNTIL_RELEASED, Queued

_SAID = {
    "held": "This letter is held until {due}. Until then it can be taken back.",
    "waiting": "This letter has not gone yet. Next try at {due}.",
    "sending": "This letter is on its way to the mail server.",
    "refused": "This letter has not gone.",
    "uncertain": "This letter may have gone.",
    "sent": "This letter has gone.",
}

_UNTIL_RELEASED = said("This letter waits until its round is released.")


class OutgoingView(QWidget):
    """Shows one entry of the outbox."""

    def __init__(self, sending: Sending, voice: Voice) -> None:
        super().__init__()
        self._sending = sending
        self.id = ""
        self._state = pieces.label("", "title", wrap=True)
        self.words = pieces.label("", "stop", wrap=True)
        self.take_back = pieces.button("Take back to mend", self._take_back, "primary")
        self.again = pieces.button("Send now", self._again)
        self.went = pieces.button("It has gone", self._went)
        buttons = pieces.fill(QHBoxLayout(), self.take_back, self.again, self.went, None)
        self.view = MessageView()
        self.view.failed.connect(voice.fail)
        head = QWidget()
        pieces.fill(QVBoxLayout(head), self._state, self.words, buttons, margin=16)
        pieces.fill(QVBoxLayout(self), head, pieces.rule(), self.view, spacing=0)

    def show_entry(self, entry: Queued) -> None:
        """Show where a letter stands."""
        fresh = self.id != entry.item.id
        self.id = entry.item.id
        due = datetime.fromtimestamp(min(entry.due, UNTIL_RELEASED)).strftime("%H:%M:%S")
        words = _SAID.get(entry.state, "").format(due=due)
        self._state.setText(_UNTIL_RELEASED if entry.waits_for_release else words)
        self.words.setText(entry.words)
        self.words.setVisible(bool(entry.words))
        self.take_back.setVisible(entry.state in RETURNABLE)
        again = entry.state in ("held", "waiting", "refused", "uncertain")
        self.again.setVisible(again and not entry.waits_for_release)
        self.again.setText("Send it again" if entry.state == "uncertain" else "Send now")
        self.went.setVisible(entry.state == "uncertain")
        if fresh:
            self._sending.read_outgoing(entry, lambda message: self._show(entry.item.id, message))

    def _show(self, item_id: str, message: Received) -> None:
        if self.id == item_id:
            self.view.show_message(message)

    def _take_back(self) -> None:
        self._sending.take_back(self.id)

    def _again(self) -> None:
        self._sending.move_on(self.id, "held")

    def _went(self) -> None:
        self._sending.move_on(self.id, "sent")

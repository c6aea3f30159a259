"""The pile: what waits for this person, open letters and the outbox."""

from collections.abc import Callable, Iterable, Mapping
from datetime import datetime

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nebbet.core import inline
from nebbet.core.body import lines_of
from nebbet.core.letter import Letter
from nebbet.core.message.head import Head
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.session.arrived import ArrivedMail
from nebbet.desktop.session.offered import Offered
from nebbet.desktop.session.open_letters import OpenLetters
from nebbet.desktop.session.sending import Sending
from nebbet.library.prompts import Offer
from nebbet.personal.items import Queued

STATES = {
    "held": ("held", "slate"),
    "waiting": ("tries again", "ochre_edge"),
    "sending": ("being sent", "slate"),
    "refused": ("needs mending", "brick"),
    "uncertain": ("may have gone", "brick"),
    "sent": ("sent, copy waits", "spruce"),
}


_FEW, _MORE = 10, "more arrived"  # rows with which open letters stay in sight
_ARRIVED = 200  # threads that are shown: older ones are found in the mailbox
_LATER = 3600.0  # seconds after which it is looked again what is due
_GOING = (
    "held",
    "waiting",
    "sending",
    "sent",
)  # states of what goes by itself
_WORDS = 80  # signs of a text that stand for it


class Pile(QWidget):
    """Lists arrived messages, open letters and the outbox. opened tells the key of the row that was
    chosen: "arrived:", "offer:", "letter:", "outbox:" or "round:" and an id."""

    opened = Signal(str)

    def __init__(
        self, letters: OpenLetters, sending: Sending, mail: ArrivedMail, offered: Offered
    ) -> None:
        super().__init__()
        self._letters, self._sending, self._mail = letters, sending, mail
        self._offered = offered
        self._whole = False  # every thread is shown
        self.list = _Rows("Pile")
        self.list.currentItemChanged.connect(self._choose)
        self._empty = pieces.label("Nothing waits for you.", "faint")
        self._empty.setContentsMargins(10, 10, 10, 0)
        self.trouble = pieces.label("", "note", wrap=True)
        self.trouble.hide()
        pieces.fill(QVBoxLayout(self), self._empty, self.list, self.trouble)
        self._due = after_pause(self, 0, self.refresh)
        letters.changed.connect(self.refresh)
        sending.changed.connect(self.refresh)
        mail.changed.connect(self.refresh)
        offered.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the pile as it is now."""
        letters = [_letter_choice(letter) for letter in self._letters.held.values()]
        now = self._sending.seconds()
        rounds, others = _by_round(self._sending.outbox)
        waiting = [_outbox_choice(entry, now) for entry in others]
        waiting += [_round_choice(key, entries) for key, entries in rounds.items()]
        next_due = min((e.due for e in self._sending.outbox if e.state == "held"), default=0)
        if next_due > now:  # what is held then is on its way
            self._due.start(int(min(next_due - now, _LATER) * 1000) + 50)
        choices: list[Choice] = []
        if arrived := self._arrived():
            choices += [Choice("", said("Arrived"), heading=True), *arrived]
        if offers := [_offer_choice(one) for one in self._offered.held.values()]:
            choices += [Choice("", said("Offered"), heading=True), *offers]
        if letters:
            choices += [Choice("", "Open letters", heading=True), *letters]
        if waiting:
            choices += [Choice("", "Outbox", heading=True), *waiting]
        self.list.show_choices(choices, keep=self.list.key)
        self._empty.setVisible(not choices)
        self.trouble.setText(self._mail.trouble)
        self.trouble.setVisible(bool(self._mail.trouble))

    def _arrived(self) -> list[Choice]:
        """The threads of what arrived, each by its newest message."""
        names = {key: one.first_name for key, one in self._mail.members.items()}
        rows = []
        threads = self._mail.threads()[:_ARRIVED]
        for thread in threads if self._whole else threads[:_FEW]:
            head, count = thread[0], len(thread)
            name = head.fields.sender.name or head.fields.sender.spec or said("Nobody")
            subject = head.fields.subject or said("No subject")
            words, tone = _state_of(thread, names, self._mail.noticed.whose)
            if count > 1:
                subject = said("{subject} ({count})", subject=subject, count=count)
            rows.append(Choice(f"arrived:{head.key}", name, subject, words, tone=tone))
        if (left := len(threads) - len(rows)) > 0:
            more = counted("1 more that arrived…", "{count} more that arrived…", count=left)
            rows.append(Choice(_MORE, more))
        return rows

    def update_letter(self, letter: Letter) -> None:
        """Bring one open letter's row up to date while it is written."""
        key = f"letter:{letter.id}"
        if self.list.key == key:
            choice = _letter_choice(letter)
            item = self.list.currentItem()
            item.setText(choice.text)
            item.setData(Qt.ItemDataRole.UserRole + 1, choice.second)

    def choose(self, key: str) -> None:
        """Put the mark on a row without opening it."""
        self.refresh()
        self.list.blockSignals(True)
        for row in range(self.list.count()):
            if self.list.item(row).data(Qt.ItemDataRole.UserRole) == key:
                self.list.setCurrentRow(row)
        self.list.blockSignals(False)

    def _choose(self) -> None:
        if self.list.key == _MORE:
            self._whole = True
            self._due.start(0)  # not in the middle of choosing
        elif self.list.key:
            self.opened.emit(self.list.key)


class _Rows(ChoiceList):
    """The rows. Coming here with the focus opens none of them: a message that is opened counts as
    read, and a letter as the one at hand."""

    def focusInEvent(self, event: QFocusEvent) -> None:
        before = self.currentRow()
        self.blockSignals(True)
        super().focusInEvent(event)
        if before < 0:
            self.setCurrentRow(-1)
        self.blockSignals(False)


def _state_of(
    thread: list[Head], names: Mapping[str, str], whose: Callable[[Head], str]
) -> tuple[str, str]:
    """A word on where a thread stands, and its tone."""
    head = thread[0]
    if head.is_report:
        return said("came back"), "brick"
    if head.is_answered:
        return said("answered"), "faint"
    if has := whose(head):
        return names.get(has, has), "slate"
    if not head.is_read:
        return said("new"), "spruce"
    return f"{datetime.fromtimestamp(head.came):%d %b}", "faint"


def _offer_choice(offer: Offer) -> Choice:
    case, contact = offer.matter.case, offer.matter.contact
    name = (contact.name or contact.email) if contact else said("Nobody")
    words = case.state or case.title
    return Choice(f"offer:{offer.id}", name, f"{case.kind} {case.number}: {words}".strip(),
                  said("write?"), tone="ochre_edge")  # fmt: skip


def _letter_choice(letter: Letter) -> Choice:
    recipient = letter.recipient
    name = (recipient.name or recipient.email) if recipient else "No recipient yet"
    second = inline.shown(letter.subject, blank=lambda _name: "…") or letter.title
    second = second or _first_words(letter) or "Empty"
    return Choice(f"letter:{letter.id}", name, second, letter.case.number if letter.case else "")


def _first_words(letter: Letter) -> str:
    """How the text of a letter without a subject begins."""
    lines = (inline.shown(line, blank=lambda _name: "…") for line in lines_of(letter.body))
    return next((" ".join(line.split())[:_WORDS] for line in lines if line.strip()), "")


def _by_round(outbox: Iterable[Queued]) -> tuple[dict[str, list[Queued]], list[Queued]]:
    """The letters of rounds that wait, by their rounds, and all others: thousands may wait, and
    those that need somebody stand alone."""
    rounds: dict[str, list[Queued]] = {}
    others = []
    for entry in outbox:
        if entry.item.round and entry.state in _GOING:
            rounds.setdefault(entry.item.round, []).append(entry)
        else:
            others.append(entry)
    return rounds, others


def _round_choice(key: str, entries: list[Queued]) -> Choice:
    """The row of a round of which letters wait."""
    words = counted("1 letter waits", "{count} letters wait", count=len(entries))
    held = all(entry.waits_for_release for entry in entries)
    aside = said("to be released") if held else said("going")
    tone = "ochre_edge" if held else "slate"
    return Choice(f"round:{key}", entries[0].item.entry.title, words, aside, tone=tone)


def _outbox_choice(entry: Queued, now: float) -> Choice:
    words, tone = STATES.get(entry.state, (entry.state, "faint"))
    if entry.state == "held" and entry.due <= now:  # the carrier is at it
        words, tone = STATES["sending"]
    item = entry.item
    name = item.entry.name or item.entry.address
    return Choice(f"outbox:{item.id}", name, item.outgoing.subject, words, tone=tone)

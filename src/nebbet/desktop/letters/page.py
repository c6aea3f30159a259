"""The place Letters."""

from functools import cached_property, partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QWidget

from nebbet.core import body as bodies
from nebbet.core.checks import Finding
from nebbet.core.letter import Letter, middle_of, text_for, written
from nebbet.core.records import Person
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.place import Place
from nebbet.desktop.letters.answered import AnsweredMessage
from nebbet.desktop.letters.answering import Answering
from nebbet.desktop.letters.arriving import KEYS, Arriving
from nebbet.desktop.letters.beginning import Beginning, Steps
from nebbet.desktop.letters.blank import PILE
from nebbet.desktop.letters.case_field import CaseField
from nebbet.desktop.letters.earlier import EarlierLetters
from nebbet.desktop.letters.from_case import FromCase
from nebbet.desktop.letters.language_choice import LanguageChoice
from nebbet.desktop.letters.letter_paper import LetterPaper
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.letters.newer_editions import THIS_LETTER, NewerEditions
from nebbet.desktop.letters.newer_records import NewerRecords
from nebbet.desktop.letters.offer_view import OfferView
from nebbet.desktop.letters.others_named import OthersNamed
from nebbet.desktop.letters.outgoing import OutgoingView
from nebbet.desktop.letters.particulars import Particulars
from nebbet.desktop.letters.pile import Pile
from nebbet.desktop.letters.pull import PullBox
from nebbet.desktop.letters.side import Attachments, Checks, SendControl
from nebbet.desktop.letters.start import StartPage
from nebbet.desktop.letters.used_for import UsedFor
from nebbet.desktop.letters.ways_out import WaysOut
from nebbet.desktop.session.intake import read_bytes
from nebbet.desktop.session.session import Session
from nebbet.library.holdings import Template
from nebbet.library.prompts import Offer

WIDE = (PILE, 356)  # pixels: the pile and the particulars in a wide window
NARROW = (176, 306)
_IN_THE_WAY = "what stands in the way"  # of sending: over as soon as it does not


class LettersPage(Place):
    """The pile on the left, the paper in the middle, the particulars on the right. entry_wanted
    tells the message id of a letter that somebody wants to read, person_wanted whose page,
    round_wanted which round."""

    entry_wanted = Signal(str)
    person_wanted = Signal(str)
    round_wanted = Signal(str)
    title = "Letters"
    help = (
        "Take a template with Ctrl+J, choose whom the letter is for, and complete what is marked: "
        "F6 goes from blank to blank, Return in a blank too. Anything may be reworded by hand. "
        "On the right stands where each value comes from; a changed one can be put back. "
        "Ctrl+Return sends; until the hold time is over the letter can be taken back."
    )

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.model = LetterModel(session.shared, session.letters)
        self.model.setParent(self)
        self._told: Finding | None = None  # what stands in the way, as it was told
        self.model.replaced.connect(self._forget)  # before anything is told of what comes
        self._used = UsedFor(session.shared, self.model)
        NewerEditions(session, self.model)
        NewerRecords(session, self.model)
        self._others = OthersNamed(session.shared, self.model)
        self.pile = Pile(session.letters, session.sending, session.arrived, session.offered)
        self.paper = LetterPaper(session.shared, self.model)
        self.particulars = Particulars(self.model)
        self.case = CaseField(session.shared, self.model)
        self.language = LanguageChoice(self.model)
        self.from_case = FromCase(session, self.model, self.paper.body)
        self.attachments = Attachments(session.shared, self.model, self.from_case.button)
        self.checks = Checks(self.model)
        self.sending = SendControl(self.model, lambda: session.sending.hold, self._others.look)
        self.start = StartPage(session.shared)
        steps = Steps(self.open_letter, self.paper.go_on, self.pull)
        self.begin = Beginning(session, self.model, steps)
        self.answering = Answering(session, self.model, steps)
        self._middle = QStackedWidget()
        self.arriving = Arriving(
            session, self._middle, self.answering, self._show_alone, self.person_wanted.emit,
            self.entry_wanted.emit,
        )  # fmt: skip
        self.answered = AnsweredMessage(self.model)
        self.earlier = EarlierLetters(session.shared, self.model)
        self.earlier.read.connect(self.entry_wanted)
        self.earlier.again.connect(self.begin.like)
        self.ways = WaysOut(session, self.model, self.sending)
        self.setAcceptDrops(True)
        self._lay_out()
        self._connect()
        self._add_keys()
        self.pile.refresh()
        self._show_nothing()

    # Pieces that are made when they are first needed

    @cached_property
    def pull_box(self) -> PullBox:
        """The box that pulls a template."""
        box = PullBox(self._session.shared, self._middle, self._used, self)
        box.chosen.connect(self._pulled)
        box.left.connect(self._left_pull_box)
        return box

    @cached_property
    def outgoing(self) -> OutgoingView:
        """What shows a letter of the outbox."""
        view = OutgoingView(self._session.sending, self._session.voice)
        self._middle.addWidget(view)
        return view

    @cached_property
    def offer(self) -> OfferView:
        """What shows a letter that is offered."""
        view = OfferView(self._session)
        view.write.connect(self._write_offered)
        view.leave.connect(self._leave_offered)
        self._middle.addWidget(view)
        return view

    # Layout

    def _lay_out(self) -> None:
        new = pieces.button("New letter", self.new_letter, hint="Ctrl+N")
        # Far from where letters are sent, and in one place: nothing above it grows.
        self.drop = pieces.button("Discard this letter", self.discard, "words")
        self.drop.hide()
        foot = pieces.row(self.drop, None)
        left = pieces.column("left", pieces.row(new, None), self.pile, foot, margin=8)
        self._left = left
        for view in (self.start, self.paper):
            self._middle.addWidget(view)
        self._side = self._right()
        pieces.fill(QHBoxLayout(self), left, self._middle, self._side, spacing=0)

    def _right(self) -> QWidget:
        about = pieces.row(pieces.label("Case", "faint"), pieces.grow(self.case), self.language)
        return pieces.column(
            "right",
            about,
            self.answered,
            self.earlier,
            pieces.scrolled(self.particulars),
            self.attachments,
            self.checks,
            self.sending,
        )

    def _connect(self) -> None:
        self.pile.opened.connect(self.open_key)
        self.start.write_to.connect(self.begin.to_whom_it_went)
        self.start.take.connect(self.begin.take)
        self.start.read.connect(self.entry_wanted)
        self.model.worked_out.connect(self._on_worked_out)
        self.model.replaced.connect(self._on_worked_out)
        self.model.reverted.connect(self._on_worked_out)
        self.particulars.entered.connect(self._focus_send)
        self.paper.completed.connect(self._focus_send)
        self.paper.addressed.connect(self.pull)
        self.case.chosen.connect(self.paper.go_on)
        self.checks.go.connect(self._show_finding)
        self.sending.stopped.connect(self._stopped)
        self.sending.send.connect(self._send)
        self._session.sending.sent.connect(self._on_sent)
        self._session.sending.taken_back.connect(self.open_letter)
        self._session.sending.changed.connect(self._on_outbox)

    def _add_keys(self) -> None:
        self.add_key("Pull a template", "Ctrl+J", self.pull)
        self.add_key("Next blank", "F6", self.paper.next_blank)
        self.add_key("Previous blank", "Shift+F6", lambda: self.paper.next_blank(-1))
        self.add_key("Put in what is known", "Ctrl+D", self.paper.offer_values)
        self.add_key("Undo", "Ctrl+Z", self.model.undo)
        self.add_key("Redo", "Ctrl+Shift+Z", self.model.redo)
        self.add_key("Next doubtful word", "F7", self.paper.body.spelling.next_doubt)
        self.add_key("Next finding", "F8", self.checks.next)
        self.add_key("Mend the finding", "Shift+F8", self.checks.mend)
        self.add_key("Send", "Ctrl+Return", self._send_key)
        self.add_key("The message it answers", "Ctrl+Alt+H", self.answered.toggle)
        self.add_key("Earlier letters", "Ctrl+H", self.earlier.toggle)
        self.add_key("Other ways out", "Ctrl+Alt+Return", self.ways.offer)
        self.add_key("What the case has", "Ctrl+Alt+Y", self.from_case.offer)
        self.add_key("Put in the record of the case", "Ctrl+Alt+R", self.from_case.put_record)
        back = self._session.sending.take_back_last
        self.add_key("Take the last letter back", "Ctrl+Shift+Return", back)
        for words, keys, act in KEYS:
            self.add_key(words, keys, partial(self.arriving.act, act))
        self.add_key("Go to the case", "Ctrl+G", self.case.setFocus)
        self.add_key("Go to the pile", "Ctrl+L", self.pile.list.setFocus)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place_pull_box()
        left, right = WIDE if event.size().width() >= 1160 else NARROW
        self._left.setFixedWidth(left)
        self._side.setFixedWidth(right)

    def _place_pull_box(self) -> None:
        if "pull_box" in self.__dict__ and self.pull_box.isVisible():
            self.pull_box.setGeometry(self._middle.rect().adjusted(16, 16, -16, -16))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """A message may be dropped anywhere but on the attachments, which take files."""
        if len(_messages(event)) == 1:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        (path,) = _messages(event)
        event.acceptProposedAction()
        shared = self._session.shared
        shared.reads.run(
            lambda: read_bytes(path),
            lambda data: self.arriving.open_file(data, path.name),
            shared.voice.fail,
        )

    # Opening

    def arrive(self) -> None:
        if self.model.letter is None and self._session.letters.held:
            self.open_letter(next(iter(self._session.letters.held)))
        elif self.model.letter is None:
            self._rest()
        else:
            self.paper.go_on()

    def _rest(self) -> None:
        """Nothing is open: the focus goes to what one may go on with."""
        (self.start.first_rows() or self.pile.list).setFocus()

    def open_key(self, key: str) -> None:
        """Open a row of the pile."""
        kind, _, found = key.partition(":")
        if kind == "letter":
            self.open_letter(found, choose=False)
        elif kind == "arrived":
            self.arriving.open_key(found)
        elif kind == "offer":
            self._show_offer(found)
        elif kind == "round":
            self.round_wanted.emit(found)
        else:
            self._open_outgoing(found)

    def open_letter(self, letter_id: str, *, choose: bool = True) -> None:
        """Open a letter on the paper."""
        letter = self._session.letters.held.get(letter_id)
        if letter is None:
            return
        if "pull_box" in self.__dict__:
            self.pull_box.hide()
        self.model.show(letter)
        self._middle.setCurrentWidget(self.paper)
        self._side.show()
        self.drop.show()
        if choose:
            self.pile.choose(f"letter:{letter_id}")
            self.paper.go_on()

    def _open_outgoing(self, item_id: str) -> None:
        entry = self._session.sending.entry(item_id)
        if entry:
            self.outgoing.show_entry(entry)
            self._show_alone(self.outgoing)

    def _show_offer(self, offer_id: str) -> None:
        if offer := self._session.offered.held.get(offer_id):
            self.offer.show_offer(offer)
            self._show_alone(self.offer)

    def _write_offered(self, offer: Offer) -> None:
        """Begin an offered letter: it is filled, and waits to be looked at."""
        matter = offer.matter
        person = Person(matter.contact) if matter.contact else None

        def begin() -> None:
            self.begin.empty()
            self.begin.address(person, matter)
            self.model.start_over(self._session.shared.catalogue.templates[offer.template])
            self.paper.go_on()

        self._session.offered.answer(offer, "written", begin)

    def _leave_offered(self, offer: Offer) -> None:
        self._session.offered.answer(offer, "left", self._show_nothing)

    def _show_alone(self, page: QWidget) -> None:
        """Show what is no letter that is written."""
        if "pull_box" in self.__dict__:
            self.pull_box.hide()
        self.model.show(None)
        self._middle.setCurrentWidget(page)
        self._side.hide()
        self.drop.hide()

    def _show_nothing(self) -> None:
        self._show_alone(self.start)

    def new_letter(self) -> None:
        """Begin an empty letter; an empty one that is open already is used."""
        open_letter = self.model.letter
        if open_letter is None or written(open_letter):
            self.begin.empty()
        self.paper.to.setFocus(Qt.FocusReason.ShortcutFocusReason)

    # Templates

    def pull(self) -> None:
        """Open the box that pulls a template."""
        if self.arriving.is_shown:
            self.arriving.view.answer_one()
            return
        if self.model.letter is None:
            self.new_letter()
        if self.model.letter:
            self.pull_box.open_for(self.model.letter)

    def _pulled(self, key: str, over: bool) -> None:
        template = self._session.shared.catalogue.templates[key]
        before = self.model.letter
        if before is None:
            return
        if over:
            self.model.start_over(template)
            if before.body:
                self._session.voice.say(
                    f"The letter was started over with “{template.title}”.",
                    "Put back",
                    self.model.undo,
                    about=THIS_LETTER,
                )
        else:
            self.model.declare(template)
            text = self._text_of(template)
            self.paper.body.insert_body(middle_of(text) if before.body else text)
        self.paper.go_on()

    def _text_of(self, template: Template) -> bodies.Body:
        """A template's text, to go in among other words: with its passages, and without the look
        of finished HTML."""
        language = self.model.letter.language if self.model.letter else ""
        texts = text_for(self._session.shared.catalogue.included(template.content), language)[1]
        return bodies.read_foreign(texts.body) if texts.finished else texts.blocks

    def _restore(self, letter: Letter) -> None:
        self._session.letters.put_back(letter)
        self.open_letter(letter.id)

    def _left_pull_box(self) -> None:
        self.paper.body.setFocus()

    # Following the letter

    def _forget(self) -> None:
        """Another letter is at hand: what was told of the one before is over."""
        self._told = None
        for about in (THIS_LETTER, _IN_THE_WAY):
            self._session.voice.over(about)

    def _on_worked_out(self) -> None:
        letter = self.model.letter
        if self._told is not None and self._told not in self.model.findings:
            self._told = None
            self._session.voice.over(_IN_THE_WAY)
        if letter:
            self.pile.update_letter(letter)

    def _on_outbox(self) -> None:
        if isinstance(self._middle.currentWidget(), OutgoingView):
            entry = self._session.sending.entry(self.outgoing.id)
            if entry:
                self.outgoing.show_entry(entry)
            else:
                self._show_nothing()

    # Findings and sending

    def _show_finding(self, finding: Finding) -> None:
        if finding.part == "case":
            self.case.setFocus(Qt.FocusReason.ShortcutFocusReason)
        elif finding.part == "attachments":
            self.attachments.add.setFocus(Qt.FocusReason.ShortcutFocusReason)
        else:
            self.paper.show_place(finding.part, finding.span)

    def _stopped(self, finding: Finding) -> None:
        self._told = finding
        said = f"{finding.sentence}."
        if finding.severity == "doubt":
            said += " Send again if it is meant to be so."
            self._session.voice.say(said, about=_IN_THE_WAY)
        else:
            self._session.voice.say(f"Not sent. {said}", about=_IN_THE_WAY)
            self._show_finding(finding)

    def _focus_send(self) -> None:
        self.sending.button.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def _send_key(self) -> None:
        if self.model.letter:
            self.sending.try_to_send()

    def _send(self, acknowledged: set[str]) -> None:
        if letter := self.model.letter:
            self._session.sending.send(letter, acknowledged, self.ways.moment_for(letter.id))

    def _on_sent(self, letter_id: str) -> None:
        if self.model.letter is None or self.model.letter.id != letter_id:
            return
        if not self.isVisible():  # the person went on elsewhere: the focus stays there
            self._show_nothing()
            return
        following = next(iter(self._session.letters.held), None)
        if following:
            self.open_letter(following)
            self.sending.rest()
        else:
            self._show_nothing()
            self.arrive()

    def discard(self) -> None:
        """Take the open letter off the pile, with a way to put it back."""
        if (letter := self.model.letter) is None:
            return
        self._session.letters.discard(letter.id)
        self._show_nothing()
        self._session.voice.say(
            "The letter was discarded.", "Put back", lambda: self._restore(letter)
        )
        self._rest()


def _messages(event: QDropEvent) -> list[Path]:
    """The files that are dropped, if they are messages."""
    paths = [Path(url.toLocalFile()) for url in event.mimeData().urls()]
    return paths if all(path.suffix.casefold() == ".eml" for path in paths) else []

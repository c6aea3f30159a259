"""A round that was started, and what became of its rows."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from pathlib import Path

from msgspec import Struct
from PySide6.QtCore import QObject, Signal

from nebbet.core.errors import NebbetError
from nebbet.core.sentences import counted, said
from nebbet.desktop.rounds.rows_table import STATES
from nebbet.desktop.session.session import Session
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import Change
from nebbet.library.remarks import CameBack, back_of
from nebbet.library.round_ledger import Release, Round, WentRow, releases, round_of, went
from nebbet.library.rounds import RowLetter, Source

_TOLD = 200  # letters after which it is told how many there are
_STATES = {
    "held": "waiting", "waiting": "waiting", "sending": "waiting", "refused": "refused",
    "uncertain": "unsure", "sent": "gone", "gone": "gone",
}  # fmt: skip


class Known(Struct, frozen=True):
    """What the library knows of a round: as it was started, if it was; its rows that went, and of
    these the ones that came back; who released it."""

    begun: Round | None = None
    went: Mapping[str, WentRow] = {}
    back: Mapping[str, CameBack] = {}
    release: Release | None = None


class Running(QObject):
    """changed tells that rows stand elsewhere now, started that the round has been begun; states
    says where rows stand, by their keys: those that were started alone."""

    changed = Signal()
    started = Signal()
    _some = Signal(int, int)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._round: Round | None = None
        self.known = Known()
        self.states: dict[str, str] = {}
        self.starting = ""  # what is said while letters are put into the outbox
        self._ended = False
        self._sent: set[str] = set()  # rows that were sent, and are not read as such yet
        self._some.connect(self._tell_starting)
        self._words: dict[str, str] = {}  # what is said of rows in the outbox
        session.sending.changed.connect(self._work_out)
        session.arrived.changed.connect(self._work_out)
        session.shared.changed.connect(self._follow)

    def take(self, found: Round, known: Known | None = None) -> None:
        """Follow a round: as it is, or as it was started before."""
        other = self._round is None or self._round.id != found.id
        self._round = found
        if other or known:
            self.known, self.states = known or Known(), {}
            self.changed.emit()
        self._read()

    def leave(self) -> None:
        """Follow none."""
        self._round, self.known, self.states = None, Known(), {}
        self.changed.emit()

    @property
    def begun(self) -> Round | None:
        """The round as it was started; nothing for one that was not."""
        return self.known.begun

    @property
    def waits_for_me(self) -> bool:
        """Whether it was started by somebody else who asks for a second pair of eyes, or was held
        by whoever sits here; and was not released yet."""
        begun, me = self.begun, self._session.shared.my_id
        if begun is None or begun.how == "go" or self.known.release:
            return False
        return begun.member != me if begun.how == "asks" else begun.member == me

    def _follow(self, change: Change) -> None:
        if self._round and change.touches("round_row", "round", "round_release", "remark"):
            self._read()

    def _read(self) -> None:
        if self._round is None or not self._session.shared.is_open:
            return
        engine, round_id = self._session.shared.library.register_engine, self._round.id
        begun = self.known.begun  # as it was started, it stays; its table may be long

        def read() -> Known:
            rows = went(engine, round_id)
            back = back_of(engine, [row.message_id for row in rows.values()])
            release = releases(engine, [round_id]).get(round_id)
            return Known(begun or round_of(engine, round_id), rows, back, release)

        def came(found: Known) -> None:
            if self._round and self._round.id == round_id:
                is_new = self.known.begun is None and found.begun is not None
                self.known = found
                self._work_out()
                if is_new:
                    self.started.emit()

        self._session.shared.reads.run(read, came, self._session.voice.fail)

    def _work_out(self) -> None:
        """Where the rows stand: those that went from anywhere, and those in this outbox."""
        if self._round is None:
            return
        answers = self._answered()
        states = {key: self._of_gone(row, answers) for key, row in self.known.went.items()}
        words, sent = dict[str, str](), set[str]()
        for entry in self._session.sending.outbox:
            if entry.item.round == self._round.id:
                row, state = entry.item.row, _STATES[entry.state]
                went = self.known.went.get(row)
                if went and went.message_id != entry.item.outgoing.message_id:
                    continue  # it went as another message, from another computer
                if state != "gone":
                    states[row] = "held" if entry.waits_for_release else state
                elif went is None:
                    states[row] = "waiting"  # until it is read when it went
                    sent.add(row)
                words[row] = entry.words
        if not sent <= self._sent:
            self._read()
        self._sent = sent
        if states != self.states or words != self._words:
            self.states, self._words = states, words
            self.changed.emit()

    def _of_gone(self, row: WentRow, answers: Mapping[str, float]) -> str:
        if row.message_id in self.known.back:
            return "came back"
        return "answered" if row.message_id in answers else "gone"

    def _answered(self) -> dict[str, float]:
        """When letters were first answered in the mailboxes that are looked into here, by their
        Message-IDs; in seconds since 1970."""
        found: dict[str, float] = {}
        if not self.known.went:
            return found
        for head in self._session.arrived.heads.values():
            if not head.is_report:
                for one in head.fields.references:
                    found[one] = min(head.came, found.get(one, head.came))
        return found

    # Acts

    def start(
        self, made: Round, rows: Sequence[RowLetter], source: Source, folder: Path,
        catalogue: Catalogue, *, with_doubts: bool,
    ) -> None:  # fmt: skip
        """Put the letters of rows into the outbox; those that were refused before, once more."""
        session, shared = self._session, self._session.shared
        library, writer = shared.library, shared.writer()
        personal, token, files = shared.stores.personal, session.parts.token, shared.files

        self._ended = False

        keys, out = {row.said.number: row.said.key for row in rows}, list[str]()

        def act() -> dict[str, int]:
            from nebbet.personal.outbox import drop_round
            from nebbet.post.rounds import start, take_files

            take_files(library, folder, source.files, rows)
            drop_round(personal, made.id, ("refused",))
            counts = {"out": 0, "before": 0, "kept": 0}
            for one in start(
                personal, library, catalogue, made, rows, writer,
                token=token, files=files, with_doubts=with_doubts,
            ):  # fmt: skip
                counts[one.how] += 1
                if one.how == "out":
                    out.append(keys[one.row])
                if sum(counts.values()) % _TOLD == 0:
                    self._some.emit(counts["out"], len(rows))
                if self._ended:
                    break
            return counts

        def done(counts: dict[str, int]) -> None:
            if self._ended:
                self._drop(made.id)
            self.states = {**self.states, **dict.fromkeys(out, "waiting")}  # until they are read
            self._show_starting("")
            session.sending.nudge()
            session.sending.refresh()
            shared.refresh()
            self._read()
            session.voice.say(" ".join(_counts_in_words(counts, made)))

        def failed(error: NebbetError) -> None:
            self._show_starting("")
            session.voice.fail(error)

        self._show_starting(said("The letters are put into the outbox…"))
        shared.operations.run(act, done, failed)

    def _show_starting(self, words: str) -> None:
        self.starting = words
        self.changed.emit()

    def _tell_starting(self, count: int, of: int) -> None:
        if self.starting:
            self._show_starting(said("{count} of {of} letters are in the outbox…", count=count,
                                     of=of))  # fmt: skip

    def stop(self) -> None:
        """Take what waits of the round out of the outbox: Start goes on with it."""
        if self.starting:
            self._ended = True
        elif self._round is not None:
            self._drop(self._round.id)

    def _drop(self, round_id: str) -> None:
        session = self._session
        personal = session.shared.stores.personal

        def act() -> int:
            from nebbet.personal.outbox import drop_round

            return drop_round(personal, round_id)

        def done(count: int) -> None:
            session.sending.refresh()
            session.voice.say(
                counted("1 letter stays here: Start goes on with it.",
                        "{count} letters stay here: Start goes on with them.", count=count)
            )  # fmt: skip

        session.shared.operations.run(act, done, session.voice.fail)

    def release(self) -> None:
        """Let the letters of the round go that wait for that."""
        session, shared, begun = self._session, self._session.shared, self.begun
        if begun is None:
            return
        library, me, now = shared.library, shared.my_id, shared.now()

        def done(_result: object) -> None:
            session.sending.nudge()
            self._read()
            session.voice.say(said("The round is released: its letters go now."))

        shared.change(lambda: library.release_round(begun, me, now), done)

    # Telling

    def told(self, row: RowLetter) -> tuple[str, str]:
        """Where a row stands, and when it went or why it does not."""
        key = row.said.key
        state = self.states.get(key, row.state)
        words = STATES[state][0]
        found = self.known.went.get(key)
        if found and (back := self.known.back.get(found.message_id)):
            return words, f"{_moment(found.at)}: {back.why}"
        if found and state == "answered":
            answered = datetime.fromtimestamp(self._answered().get(found.message_id, 0))
            return words, said("{went}, answered {answered}", went=_moment(found.at),
                               answered=_moment(answered))  # fmt: skip
        if found and state == "gone":
            return words, _moment(found.at)
        if key in self._words:
            return words, self._words[key]
        return words, " · ".join(one.sentence for one in row.findings)


def _moment(at: datetime) -> str:
    return f"{at.astimezone():%Y-%m-%d %H:%M}"


def _counts_in_words(counts: Mapping[str, int], made: Round) -> list[str]:
    out = counts["out"]
    lines = [counted("1 letter is on its way.", "{count} letters are on their way.", count=out)]
    if made.how == "held":
        lines = [counted("1 letter waits until you release it.",
                         "{count} letters wait until you release them.", count=out)]  # fmt: skip
    if made.how == "asks":
        lines = [counted("1 letter waits until somebody else has looked.",
                         "{count} letters wait until somebody else has looked.",
                         count=out)]  # fmt: skip
    if counts["before"]:
        lines.append(counted("1 row went before.", "{count} rows went before.",
                             count=counts["before"]))  # fmt: skip
    if counts["kept"]:
        lines.append(counted("1 row is kept back.", "{count} rows are kept back.",
                             count=counts["kept"]))  # fmt: skip
    return lines

"""A round that was started, and what became of its rows."""

from collections.abc import Sequence
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from nebbet.core.errors import NebbetError
from nebbet.core.records import contact_for
from nebbet.core.sentences import counted, said
from nebbet.desktop.rounds.rows_table import STATES
from nebbet.desktop.rounds.side import RoundSide
from nebbet.desktop.session.session import Session
from nebbet.library.changes import Change
from nebbet.library.round_ledger import Round, WentRow, went
from nebbet.library.rounds import RowLetter, Source

_STATES = {
    "held": "waiting", "waiting": "waiting", "sending": "waiting", "refused": "refused",
    "uncertain": "unsure", "sent": "gone", "gone": "gone",
}  # fmt: skip


class Running(QObject):
    """changed tells that rows stand elsewhere now; states says where, by their keys: those that
    were started alone."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._round: Round | None = None
        self._gone: dict[str, WentRow] = {}
        self.states: dict[str, str] = {}
        session.sending.changed.connect(self._work_out)
        session.shared.changed.connect(self._follow)

    def take(self, found: Round) -> None:
        """Follow a round: as it is, or as it was started before."""
        other = self._round is None or self._round.id != found.id
        self._round = found
        if other:
            self._gone, self.states = {}, {}
            self.changed.emit()
        self._read()

    def _follow(self, change: Change) -> None:
        if self._round and change.touches("round_row"):
            self._read()

    def _read(self) -> None:
        if self._round is None or not self._session.shared.is_open:
            return
        engine, round_id = self._session.shared.library.register_engine, self._round.id

        def came(found: dict[str, WentRow]) -> None:
            if self._round and self._round.id == round_id:
                self._gone = found
                self._work_out()

        self._session.shared.reads.run(
            lambda: went(engine, round_id), came, self._session.voice.fail
        )

    def _work_out(self) -> None:
        """Where the rows stand: those that went from anywhere, and those in this outbox."""
        if self._round is None:
            return
        states = dict.fromkeys(self._gone, "gone")
        for entry in self._session.sending.outbox:
            if entry.item.round == self._round.id:
                states[entry.item.row] = _STATES[entry.state]
        if states != self.states:
            self.states = states
            self.changed.emit()

    def start(
        self, rows: Sequence[RowLetter], source: Source, folder: Path, side: RoundSide
    ) -> None:
        """Put the letters of rows into the outbox."""
        session, shared, begun = self._session, self._session.shared, self._round
        if begun is None:
            return
        library, catalogue, writer = shared.library, shared.catalogue, shared.writer()
        personal, token, files = shared.stores.personal, session.parts.token, shared.files
        pace, with_doubts = side.pace, side.with_doubts

        def act() -> dict[str, int]:
            from nebbet.post.rounds import start, take_files

            take_files(library, folder, source.files, rows)
            counts = {"out": 0, "before": 0, "kept": 0}
            for one in start(
                personal, library, catalogue, begun, rows, writer, pace,
                token=token, files=files, with_doubts=with_doubts,
            ):  # fmt: skip
                counts[one.how] += 1
            return counts

        def done(counts: dict[str, int]) -> None:
            session.sending.nudge()
            session.sending.refresh()
            lines = [counted("1 letter is on its way.", "{count} letters are on their way.",
                             count=counts["out"])]  # fmt: skip
            if counts["before"]:
                lines.append(counted("1 row went before.", "{count} rows went before.",
                                     count=counts["before"]))  # fmt: skip
            if counts["kept"]:
                lines.append(counted("1 row is kept back.", "{count} rows are kept back.",
                                     count=counts["kept"]))  # fmt: skip
            session.voice.say(" ".join(lines))

        shared.operations.run(act, done, session.voice.fail)

    def stop(self) -> None:
        """Take what waits of the round out of the outbox: Start goes on with it."""
        session, begun = self._session, self._round
        if begun is None:
            return
        personal = session.shared.stores.personal

        def act() -> int:
            from nebbet.personal.outbox import drop_round

            return drop_round(personal, begun.id)

        def done(count: int) -> None:
            session.sending.refresh()
            session.voice.say(
                counted("1 letter stays here: Start goes on with it.",
                        "{count} letters stay here: Start goes on with them.", count=count)
            )  # fmt: skip

        session.shared.operations.run(act, done, session.voice.fail)

    def told(self, row: RowLetter) -> tuple[str, str]:
        """Where a row stands, and when it went or why it does not."""
        key = row.said.key
        state = self.states.get(key, row.state)
        if state == "gone" and (found := self._gone.get(key)):
            return STATES[state][0], f"{found.at.astimezone():%Y-%m-%d %H:%M}"
        if state in ("refused", "waiting", "unsure"):
            entries = self._session.sending.outbox
            waits = (e for e in entries if self._round and e.item.round == self._round.id)
            return STATES[state][0], next((e.words for e in waits if e.item.row == key), "")
        return STATES[state][0], " · ".join(one.sentence for one in row.findings)

    def test(self, row: RowLetter) -> None:
        """Send a row's letter to oneself: marked, and in no register and no ledger."""
        session, shared = self._session, self._session.shared
        me = shared.me
        if me is None:
            session.voice.say(said("Nebbet does not know who you are: complete your profile."))
            return
        catalogue, writer, files = shared.catalogue, shared.writer(), shared.files
        token, secrets = session.parts.token, session.parts.secrets
        account = session.sending.account_of(row.letter)
        to = contact_for("test", me.name, me.email)
        mark = said("Test: ")
        letter = replace(
            row.letter, recipient=to, to=(), cc=(), bcc=(), subject=(mark, *row.letter.subject)
        )

        def act() -> str:
            from nebbet.core.message.compose import compose
            from nebbet.post import smtp
            from nebbet.post.secret import secret_of

            outgoing = compose(
                letter, me, now=writer.moment, token=token, frame=catalogue.frame(letter.frame),
                files=files, own=writer.own,
            )  # fmt: skip
            password = secret_of(account, secrets)
            smtp.deliver(account, password, outgoing.sender, outgoing.recipients, outgoing.data)
            return me.email

        def failed(error: NebbetError) -> None:
            session.voice.fail(NebbetError(error.what, advice=said("Nothing was sent")))

        session.network.run(
            act, lambda to: session.voice.say(said("The test went to {to}.", to=to)), failed
        )

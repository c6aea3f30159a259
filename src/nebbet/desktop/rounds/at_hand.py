"""The rows of the round at hand: those that are meant, their letters, and what all of them together
tell."""

from collections import Counter
from collections.abc import Collection, Iterable, Sequence

from msgspec.structs import replace

from nebbet.core.checks import Finding
from nebbet.core.letter import Letter
from nebbet.core.records.tables import TableRow
from nebbet.core.rounds import Twice
from nebbet.desktop.rounds.rows_table import RowsModel
from nebbet.library.rounds import RowLetter, Source, over_all, with_findings

_GOES = ("ready", "refused")  # states of rows that a start puts into the outbox


class AtHand:
    """Keeps the letters of rows and shows them in a model. edited are those that were reworded for
    their row alone, by the rows' numbers."""

    def __init__(self, model: RowsModel) -> None:
        self._model = model
        self.meant: list[TableRow] = []
        self.edited: dict[int, Letter] = {}
        self._base: dict[int, RowLetter] = {}  # before what only all rows together tell

    def clear(self, same: Collection[int] = ()) -> int:
        """Begin anew; letters that were reworded stay where their rows are the same ones, by their
        numbers. Gives how many do not."""
        kept = {number: letter for number, letter in self.edited.items() if number in same}
        lost = len(self.edited) - len(kept)
        self.meant, self.edited, self._base = [], kept, {}
        self._model.found, self._model.out, self._model.reworded = {}, set(), set()
        return lost

    def begin(self, meant: list[TableRow]) -> None:
        """Other rows are meant, or they are looked through anew."""
        self.meant, self._base, self._model.found = meant, {}, {}
        self._model.reworded = set(self.edited)

    def take(self, some: Iterable[RowLetter]) -> None:
        """Take letters of rows that were looked at."""
        new = {one.said.number: one for one in some}
        self._base.update(new)
        self._model.found.update(new)
        self._model.renew()

    def put_together(self, source: Source, twice: Twice) -> None:
        """Say of each row what only all that go together tell."""
        going = [one for number, one in self._base.items() if number not in self._model.out]
        together = over_all(source, going, twice)
        self._model.found = {n: with_findings(one, together) for n, one in self._base.items()}
        self._model.renew()

    def reword(self, number: int, letter: Letter, findings: Sequence[Finding]) -> None:
        """Take the letter of a row as somebody has written it; what is wrong with the row itself
        stays, but for an address that stands in the letter now."""
        self.edited[number] = letter
        self._model.reworded.add(number)
        before = self._base.get(number)
        if before is None:  # it is being looked at anew, with these words
            return
        addressed = letter.recipient is not None and bool(letter.recipient.email)
        own = [
            one for one in before.findings
            if one.rule.startswith("row") and not (one.rule == "row" and addressed)
        ]  # fmt: skip
        self._base[number] = replace(before, letter=letter, findings=(*own, *findings))

    def found(self, row: TableRow | None) -> RowLetter | None:
        """The letter of a row, with all that is found in it."""
        return self._model.found.get(row.number) if row else None

    def letters(self) -> list[RowLetter]:
        """The letters of all rows that are meant, as far as they were looked at."""
        return [one for row in self.meant if (one := self.found(row))]

    def going(self) -> list[RowLetter]:
        """The letters of the rows that were not taken out."""
        return [one for one in self.letters() if one.said.number not in self._model.out]

    def startable(self, *, with_doubts: bool) -> list[RowLetter]:
        """The letters that a start puts into the outbox."""
        states = (*_GOES, "doubtful") if with_doubts else _GOES
        rows = [row for row in self.meant if self._model.state(row) in states]
        return [one for row in rows if (one := self.found(row))]

    def counts(self) -> Counter[str]:
        """How many rows stand where."""
        return Counter(self._model.state(row) for row in self.meant)

    def wanted(self, state: str, rule: str) -> list[TableRow]:
        """The rows of a state, or in which something is found; empty is any."""
        return [
            row for row in self.meant
            if (not state or self._model.state(row) == state)
            and (not rule or _has(self.found(row), rule))
        ]  # fmt: skip


def _has(row: RowLetter | None, rule: str) -> bool:
    return row is not None and any(one.rule == rule for one in row.findings)

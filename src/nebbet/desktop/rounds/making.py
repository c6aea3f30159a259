"""What the round at hand is made of, put together: its name, its letters' source, the round as it
is started; or as it was, where it was started before."""

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import Placeholder
from nebbet.core.rounds import Choosing, Matches, propose
from nebbet.core.rounds.pacing import Pace
from nebbet.core.sentences import said
from nebbet.desktop.rounds.at_hand import AtHand
from nebbet.desktop.rounds.for_every import without_column
from nebbet.desktop.rounds.going import Going
from nebbet.desktop.rounds.keeping import Keeping
from nebbet.desktop.rounds.made_of import MadeOf
from nebbet.desktop.rounds.outputs import Shown
from nebbet.desktop.rounds.rows_table import OUT, STATES, RowsTable
from nebbet.desktop.rounds.running import Running
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.catalogue import Catalogue
from nebbet.library.round_ledger import Round, name_of_round
from nebbet.library.round_report import About
from nebbet.library.round_snapshot import as_started, snapshot_of, source_of
from nebbet.library.round_tables import roles_of
from nebbet.library.rounds import RowLetter, Source, blanks_of


class Making:
    """again tells apart a round that is begun anew with the same table and template."""

    def __init__(
        self, shared: SharedLibrary, made_of: MadeOf, table: RowsTable, rows: AtHand,
        running: Running, going: Going, keeping: Keeping,
    ) -> None:  # fmt: skip
        self._shared, self._made_of, self._table, self._rows = shared, made_of, table, rows
        self._running, self._going, self._keeping = running, going, keeping
        self.again = ""

    @property
    def name(self) -> str:
        """The name of the round, by which each row goes once."""
        made = self._made_of
        if made.started is not None:
            return made.started.id
        sheet = made.table.sheet if made.table else ""
        template = made.template.id if made.template else ""
        return name_of_round(made.data, sheet, template, self.again)

    def catalogue(self) -> Catalogue:
        """What letters are worked out with: the library as it is, or as it was at the start."""
        begun = self._running.begun or self._made_of.started
        catalogue = self._shared.catalogue
        return as_started(catalogue, begun.snapshot) if begun else catalogue

    def show_roles(self, names: Sequence[str], before: Matches) -> None:
        """Show what the columns are for, as far as that shows; before is what they were for the
        last time."""
        made, kept = self._made_of, self._keeping.current
        table = made.table
        if table is None:
            return
        begun, roles = self._running.begun, dict(before.roles)
        if kept and set(kept.matches.roles) == set(table.headings):
            roles = dict(kept.matches.roles)
        if made.origin.is_on_file and not roles:
            roles = roles_of(table)
        fitting = begun.matches.roles if begun else propose(table, names, roles)
        self._table.head.show_matches(table, names, fitting)
        self.show_blanks(kept.matches.every if kept else before.every)

    def show_blanks(self, typed: Mapping[str, str] = {}) -> None:
        """Offer a field for each blank that no column is for; typed is what was said before."""
        made, begun = self._made_of, self._running.begun
        blanks: list[Placeholder] = []
        if made.table is not None and made.template is not None and begun is None:
            roles = Matches(self._table.head.roles())
            every = blanks_of(self.catalogue(), made.template)
            blanks = without_column(every, list(roles.values.values()))
        made.for_every.show_blanks(blanks, typed)

    def matches(self) -> Matches:
        """What the columns are for."""
        begun = self._running.begun
        if begun is not None:
            return begun.matches
        made = self._made_of
        return Matches(self._table.head.roles(), made.day_first, every=made.for_every.values())

    def choosing(self) -> Choosing:
        """Which rows are meant, with those that were taken out by hand."""
        begun = self._running.begun
        chosen = self._made_of.choosing if begun is None else begun.choosing
        return replace(chosen, out=frozenset())

    def source(self) -> Source | None:
        """What letters are made of; nothing where something is missing."""
        made, begun = self._made_of, self._running.begun
        if made.table is None or made.template is None:
            return None
        source = source_of(self._shared.catalogue, begun) if begun else None
        source = source or Source(made.table, self.matches(), made.template, made.files)
        return replace(source, edited=self._rows.edited)

    def round(self, source: Source) -> Round:
        """The round as it would be started now, or goes on."""
        going, made, shared = self._going, self._made_of, self._shared
        begun, kept = self._running.begun, self._keeping.current
        try:
            pace = going.pace
        except NebbetError:  # told where it is typed; nothing starts by it
            pace = Pace()
        if begun is not None:
            return replace(begun, pace=pace)
        choosing = replace(
            made.choosing, twice=going.wanted_twice, out=frozenset(self._table.rows.out)
        )
        title = Path(made.name).stem if made.origin.kind == "file" else made.name
        snapshot = snapshot_of(shared.catalogue, source.template, made.files, self._rows.edited)
        return Round(
            self.name, kept.title if kept else title, shared.my_id, shared.now(),
            source.template.id, source.template.edition, source.table, source.matches, choosing,
            pace, going.wanted_how, snapshot,
        )  # fmt: skip

    def about(self) -> str:
        """What the table is, and whether the round was started before."""
        begun = self._running.begun
        words = " ".join([self._made_of.about, *_reading(self.matches())])
        if begun is None:
            return words
        member = self._shared.catalogue.members.get(begun.member)
        words += " " + said(
            "Started by {name} on {moment} with edition {edition}: what is left goes as it was "
            "then.",
            name=member.name if member else begun.member,
            moment=f"{begun.made.astimezone():%d %b %Y %H:%M}", edition=begun.edition,
        )  # fmt: skip
        if begun.how == "asks" and not self._running.known.release:
            words += " " + said("It waits until somebody else has looked.")
        return words

    def shown(self) -> Shown | None:
        """The round as it is on the page."""
        source, members = self.source(), self._shared.catalogue.members
        if source is None:
            return None
        made, letters, known = self.round(source), self._rows.letters(), self._running.known
        who, release = members.get(made.member), known.release
        about = About(
            made.title, source.template.title, made.edition, who.name if who else made.member,
            known.begun.made if known.begun else None, who.email if who else "",
            members[release.member].name if release and release.member in members else "",
        )  # fmt: skip
        told = {one.said.number: self._told_of(one) for one in letters}
        return Shown(source.table, list(self._rows.meant), letters, told, about, self.catalogue())

    def _told_of(self, row: RowLetter) -> tuple[str, str]:
        """Where a row stands, and since when or why."""
        if row.said.number in self._table.rows.out:
            return STATES[OUT][0], ""
        return self._running.told(row)


def _reading(matches: Matches) -> Iterator[str]:
    """How days are read that could be others, column by column."""
    used = {heading for heading, role in matches.roles.items() if role}
    found = {one: first for one, first in matches.day_first.items() if one in used}
    for first, words in (
        (True, said("with the day first")), (False, said("with the month first")),
    ):  # fmt: skip
        names = ", ".join(f"“{heading}”" for heading, one in found.items() if one is first)
        if names:
            yield said("Days in {columns} are read {how}.", columns=names, how=words)

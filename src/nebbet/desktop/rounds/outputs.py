"""What can be written of a round: its table with what became of each row, a link for each row, a
report."""

from collections.abc import Callable, Sequence
from pathlib import Path

from msgspec import Struct
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from nebbet.core.records.tables import ReadTable, TableRow
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit.pdf import ask_printer, pdf_of, print_on
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.catalogue import Catalogue
from nebbet.library.round_report import About, report
from nebbet.library.rounds import RowLetter

_LIMITS = (2000, 255)  # characters: of common programs, of a spreadsheet's formula; no source


class Shown(Struct, frozen=True):
    """A round as it is on the page: its table, the rows that are meant, their letters, where each
    stands, what it is made with, and what letters are worked out with."""

    table: ReadTable
    rows: Sequence[TableRow]
    found: Sequence[RowLetter]
    told: dict[int, tuple[str, str]]
    about: About
    catalogue: Catalogue


class Outputs:
    """The ways out of a round; shown gives it as it is, or nothing where there is none."""

    def __init__(
        self, shared: SharedLibrary, over: QWidget, menu: QMenu, shown: Callable[[], Shown | None]
    ) -> None:
        self._shared, self._over, self._shown = shared, over, shown
        menu.addAction(said("The table with what became of each row…"), self.ask_for_table)
        for limit in _LIMITS:
            words = said("A link for each row, of at most {limit} characters…", limit=limit)
            menu.addAction(words, lambda limit=limit: self.ask_for_links(limit))
        menu.addSeparator()
        menu.addAction(said("The report as a PDF…"), self.ask_for_report)
        menu.addAction(said("Print the report…"), self.ask_printer)

    def _ask(self, title: str, name: str, kinds: str) -> Path | None:
        where, _ = QFileDialog.getSaveFileName(self._over, title, name, kinds)
        return Path(where) if where else None

    def ask_for_table(self) -> None:
        """Choose where a copy of the table is to lie, with what became of each row."""
        if (shown := self._shown()) is None:
            return
        path = self._ask(
            said("Where is the table to lie?"), f"{shown.about.title}.xlsx", "*.xlsx *.ods *.csv"
        )
        if path:
            self.write_table(path)

    def write_table(self, path: Path) -> None:
        """Write a copy of the table with what became of each row."""
        shown = self._shown()
        if shown is None:
            return

        def write() -> int:
            from nebbet.library.round_out import write_round

            return write_round(shown.table, shown.rows, shown.told, path, overwrite=True)

        def done(count: int) -> None:
            self._shared.voice.say(
                counted("1 row is in {name} now.", "{count} rows are in {name} now.",
                        count=count, name=path.name)
            )  # fmt: skip

        self._shared.reads.run(write, done, self._shared.voice.fail)

    def ask_for_links(self, limit: int) -> None:
        """Choose where a table with a link for each row is to lie."""
        if (shown := self._shown()) is None:
            return
        path = self._ask(
            said("Where are the links to lie?"), f"{shown.about.title}.html",
            "*.html *.xlsx *.ods *.csv",
        )  # fmt: skip
        if path:
            self.write_links(path, limit)

    def write_links(self, path: Path, limit: int) -> None:
        """Write a table with a link for each row, which opens its letter in a mail program."""
        shown = self._shown()
        if shown is None:
            return

        def write() -> int:
            from nebbet.library.round_links import links_of, write_links

            made = links_of(shown.catalogue, shown.table, shown.found, limit)
            return write_links(shown.table, made, path, overwrite=True)

        def done(long: int) -> None:
            told = said("The links are in {name}.", name=path.name)
            if long:
                told += " " + counted("1 is longer than {limit} characters.",
                                      "{count} are longer than {limit} characters.",
                                      count=long, limit=limit)  # fmt: skip
            self._shared.voice.say(told)

        self._shared.reads.run(write, done, self._shared.voice.fail)

    def ask_for_report(self) -> None:
        """Choose where the report is to lie."""
        if (shown := self._shown()) is None:
            return
        path = self._ask(said("Where is the report to lie?"), f"{shown.about.title}.pdf", "*.pdf")
        if path:
            self.write_report(path)

    def write_report(self, path: Path) -> None:
        """Write the report as a PDF."""
        shown = self._shown()
        if shown is None:
            return
        page = report(shown.about, shown.table, shown.rows, shown.told)

        def write() -> None:
            from nebbet.library.disk import write_file

            write_file(path, pdf_of(page, shown.about.title), overwrite=True)

        self._shared.reads.run(
            write,
            lambda _done: self._shared.voice.say(said("{name} is written.", name=path.name)),
            self._shared.voice.fail,
        )

    def ask_printer(self) -> None:
        """Choose a printer for the report."""
        if (shown := self._shown()) is None:
            return
        page = report(shown.about, shown.table, shown.rows, shown.told)
        ask_printer(self._over, lambda printer: print_on(printer, page))

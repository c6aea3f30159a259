"""Packs go out of the library and come in."""

from collections.abc import Collection
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QFileDialog, QMenu, QPushButton, QWidget

from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import theme
from nebbet.desktop.session.shared_library import SharedLibrary

if TYPE_CHECKING:
    from nebbet.library.pack_in import Days
    from nebbet.library.packs import Pack

_KIND = "Packs (*.zip)"


class Packs:
    """The commands about packs, and what becomes of them."""

    def __init__(self, shared: SharedLibrary, over: QWidget) -> None:
        self._shared, self._over = shared, over
        self._menu = QMenu(over)
        theme.named(self._menu, "Packs")

    def offer(self, button: QPushButton, chosen: Collection[str]) -> None:
        """Offer what can be done with packs; chosen are the templates that are selected."""
        self._menu.clear()
        take = self._menu.addAction("Take a pack in…")
        take.triggered.connect(lambda _checked=False: self.ask_which())
        whole = self._menu.addAction("Write the whole library as a pack…")
        whole.triggered.connect(lambda _checked=False: self.ask_where(None))
        words = counted(
            "Write the selected template as a pack…",
            "Write the {count} selected templates as a pack…",
            count=len(chosen),
        )
        some = self._menu.addAction(words)
        some.setEnabled(bool(chosen))
        some.triggered.connect(lambda _checked=False: self.ask_where(list(chosen)))
        self._menu.popup(button.mapToGlobal(QPoint(button.width(), 0)))
        self._menu.setActiveAction(take)

    # Out

    def ask_where(self, chosen: list[str] | None) -> None:
        """Choose a file, and write the library or some templates into it."""
        path, _ = QFileDialog.getSaveFileName(
            self._over.window(), "Write a pack", "library.zip", _KIND
        )
        if not path:
            return
        whole = path if path.casefold().endswith(".zip") else f"{path}.zip"
        self.write(Path(whole), chosen, overwrite=whole == path)

    def write(self, path: Path, chosen: list[str] | None, *, overwrite: bool) -> None:
        """Write a pack; overwrite says that a file of that name may go."""
        shared, catalogue = self._shared, self._shared.catalogue

        def write() -> int:
            from nebbet.library.pack_out import write_pack

            return write_pack(shared.library, catalogue, path, chosen=chosen, overwrite=overwrite)

        def done(count: int) -> None:
            shared.voice.say(
                counted(
                    "1 template is in {name}, with what it needs.",
                    "{count} templates are in {name}, with what they need.",
                    count=count,
                    name=path.name,
                )
            )

        shared.operations.run(write, done, shared.voice.fail)

    # In

    def ask_which(self) -> None:
        """Choose a pack and take it in."""
        path, _ = QFileDialog.getOpenFileName(self._over.window(), "Take a pack in", "", _KIND)
        if path:
            self.take(Path(path))

    def take(self, path: Path) -> None:
        """Merge a pack into the library; asks whose working days hold where they differ."""
        from nebbet.library.packs import read_pack

        shared = self._shared
        shared.operations.run(
            partial(read_pack, path), partial(self._ask_for_days, path), shared.voice.fail
        )

    def _ask_for_days(self, path: Path, pack: "Pack") -> None:
        from nebbet.library.pack_in import days_differ

        shared = self._shared
        days: Days | None = None
        if shared.catalogue.templates and days_differ(shared.catalogue, pack):
            theirs = shared.voice.ask(
                said("{name} counts with other working days", name=path.name),
                said(
                    "The same date rule gives other days with them than with those of this "
                    "library. Take the pack's working days, holidays, hours and time zone over, "
                    "or leave yours as they are?"
                ),
                said("Take those of the pack"),
                said("Leave ours"),
            )
            days = "pack" if theirs else "ours"
        author, now = shared.my_id, shared.now()

        def take() -> list[str]:
            from nebbet.library.pack_in import take_pack

            return take_pack(shared.library, pack, author=author, made=now, days=days)

        def done(lines: object) -> None:
            merged = ", ".join(lines) if isinstance(lines, list) else ""
            shared.voice.say(
                said("{name} is merged into the library: {what}.", name=path.name, what=merged)
            )

        shared.change(take, done)

"""The rounds there are: those that wait for one's look, those that are kept under a name, those
that were started."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.rounds.rules_form import RulesForm
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.changes import Change
from nebbet.library.round_kept import KeptRound, kept_rounds
from nebbet.library.round_ledger import RoundHead, round_heads


class RoundList(QWidget):
    """opened tells the id of a round that was started, chosen one that is kept."""

    opened = Signal(str)
    chosen = Signal(object)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self.kept: dict[str, KeptRound] = {}
        self.heads: dict[str, RoundHead] = {}
        self.list = ChoiceList(said("Rounds"))
        self.forget = pieces.button(said("Forget it"), self._forget, "words", said("Delete"))
        self.note = pieces.label("", "faint", wrap=True)
        self.rules = RulesForm(shared)
        pieces.fill(
            QVBoxLayout(self), self.note, self.list, pieces.row(self.forget, None), self.rules
        )
        self.forget.hide()
        gone = QShortcut(QKeySequence(QKeySequence.StandardKey.Delete), self.list)
        gone.setContext(Qt.ShortcutContext.WidgetShortcut)
        gone.activated.connect(self._forget)
        self.list.itemActivated.connect(lambda _item: self.open())
        self.list.itemClicked.connect(lambda _item: self.open())
        self.list.currentRowChanged.connect(lambda _row: self._mark())
        shared.changed.connect(self._follow)

    def refresh(self) -> None:
        """Read which rounds there are."""
        if not self._shared.is_open:
            return
        self.rules.refresh()
        engine = self._shared.library.register_engine

        def came(found: tuple[list[KeptRound], list[RoundHead]]) -> None:
            self.kept = {one.id: one for one in found[0]}
            self.heads = {one.id: one for one in found[1]}
            self._show()

        self._shared.reads.run(
            lambda: (kept_rounds(engine), round_heads(engine)), came, self._shared.voice.fail
        )

    def _follow(self, change: Change) -> None:
        if self.isVisible() and change.touches("round", "round_row", "round_release", "kept_round"):
            self.refresh()

    def _show(self) -> None:
        me, members = self._shared.my_id, self._shared.catalogue.members
        templates = self._shared.catalogue.templates
        asked = [h for h in self.heads.values()
                 if h.how == "asks" and not h.released and h.member != me]  # fmt: skip
        rows: list[Choice] = []
        if asked:
            rows.append(Choice("", said("Wait for your look"), heading=True))
            rows += [self._started(one, said("look at it")) for one in asked]
        if self.kept:
            rows.append(Choice("", said("Kept"), heading=True))
        for one in self.kept.values():
            template = templates.get(one.template)
            name = members[one.member].name if one.member in members else ""
            rows.append(
                Choice(f"kept:{one.id}", one.title, template.title if template else "", name)
            )
        others = [h for h in self.heads.values() if h not in asked]
        if others:
            rows.append(Choice("", said("Started"), heading=True))
            rows += [self._started(one) for one in others]
        self.list.show_choices(rows, self.list.key)
        self.list.setVisible(bool(rows))
        self.note.setText("" if rows else said("No round was started or kept yet."))
        self._mark()

    def _started(self, one: RoundHead, aside: str = "") -> Choice:
        member = self._shared.catalogue.members.get(one.member)
        template = self._shared.catalogue.templates.get(one.template)
        second = said(
            "{template} · {name}, {day}", template=template.title if template else "",
            name=member.name if member else one.member, day=f"{one.made.astimezone():%d %b %Y}",
        )  # fmt: skip
        gone = counted("1 went", "{count} went", count=one.went)
        return Choice(f"round:{one.id}", one.title, second, aside or gone)

    def _mark(self) -> None:
        kept = self.kept.get(self.list.key.partition(":")[2])
        mine = kept and (kept.member == self._shared.my_id or self._shared.leads)
        self.forget.setVisible(bool(mine))

    def open(self) -> None:
        """Open the round at hand."""
        kind, _, key = self.list.key.partition(":")
        if kind == "kept" and key in self.kept:
            self.chosen.emit(self.kept[key])
        elif kind == "round":
            self.opened.emit(key)

    def _forget(self) -> None:
        kept = self.kept.get(self.list.key.partition(":")[2])
        if kept is None or not self.forget.isVisible():
            return
        library = self._shared.library
        if self._shared.voice.ask(
            said("Forget the round “{title}”?", title=kept.title),
            said("Rounds that went stay in the list and in the register."), said("Forget it"),
        ):  # fmt: skip
            self._shared.change(lambda: library.forget_round(kept.id), lambda _done: self.refresh())

"""What can be done with the templates that are selected: pin, move, copy, retire."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QWidget

from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.catalogue import private_to
from nebbet.library.holdings import Copied, Shelf, Template, own_shelf

_WHERE = "Onto which shelf?"


class Acts(QWidget):
    """A row of controls under the list; each acts on all templates that are selected."""

    def __init__(self, shared: SharedLibrary, selected: Callable[[], list[str]]) -> None:
        super().__init__()
        self._shared, self._selected = shared, selected
        self.count = pieces.label("", "faint")
        self.pin = pieces.button("Pin for me", self.pin_for_me, "words", "Ctrl+P")
        self.pin_all = pieces.button("Pin for all", self.pin_for_all, "words", "Ctrl+Shift+P")
        self.move_button = pieces.button("Move…", self.ask_where_to_move, "words", "Ctrl+M")
        self.copy_button = pieces.button("Copy…", self.ask_where_to_copy, "words", "Ctrl+Shift+D")
        self.retire_button = pieces.button("Retire", self.retire, "words", "Ctrl+Delete")
        buttons = (self.pin, self.pin_all, self.move_button, self.copy_button, self.retire_button)
        pieces.fill(QHBoxLayout(self), self.count, *buttons, None, spacing=14)
        self._menu = QMenu(self)
        theme.named(self._menu, _WHERE)

    @property
    def _templates(self) -> list[Template]:
        known = self._shared.catalogue.templates
        return [known[key] for key in self._selected() if key in known]

    def refresh(self) -> None:
        """Say what the controls would do with what is selected now."""
        found = self._templates
        self.setEnabled(bool(found))
        self.count.setText(f"{len(found)} templates:" if len(found) > 1 else "")
        mine = bool(found) and all(t.id in self._shared.own.pinned for t in found)
        _name(self.pin, "Unpin for me" if mine else "Pin for me")
        _name(self.pin_all, "Unpin for all" if _all_pinned(found) else "Pin for all")
        _name(self.retire_button, "Bring back" if _all_retired(found) else "Retire")
        changeable = bool(found) and all(map(self._may_change, found))
        self.pin_all.setVisible(self._shared.leads)
        self.move_button.setVisible(changeable)
        self.retire_button.setVisible(changeable)

    def _may_change(self, template: Template) -> bool:
        return self._shared.leads or bool(private_to(self._shared.catalogue, template.shelf))

    # Pins

    def pin_for_me(self) -> None:
        """Pin what is selected for the person at the keyboard, or take the pins away."""
        keys = [template.id for template in self._templates]
        if keys:
            self._shared.own.pin(keys, not all(key in self._shared.own.pinned for key in keys))

    def pin_for_all(self) -> None:
        """Pin what is selected for the whole team, or take the pins away."""
        found = self._templates
        library, pinned = self._shared.library, not _all_pinned(found)
        keys = [template.id for template in found]
        if keys:
            self._shared.change(lambda: library.set_template(*keys, pinned=pinned, seen=found))

    # Shelves

    def ask_where_to_move(self) -> None:
        """Offer the shelves that what is selected can be moved to."""
        if all(map(self._may_change, self._templates)):
            self._offer_shelves(self.move_button, self.move_to, all_shelves=self._shared.leads)
        else:
            self._shared.voice.say("These are the team's: that is for a lead to do.")

    def ask_where_to_copy(self) -> None:
        """Offer the shelves that what is selected can be copied to."""
        self._offer_shelves(self.copy_button, self.copy_to, all_shelves=self._shared.leads)

    def _offer_shelves(
        self, button: QPushButton, act: Callable[[Shelf], None], *, all_shelves: bool
    ) -> None:
        if self._templates:
            where = button if button.isVisible() else self
            self.offer_shelves(where, act, all_shelves=all_shelves)

    def offer_shelves(
        self, where: QWidget, act: Callable[[Shelf], object], *, all_shelves: bool
    ) -> None:
        """Ask for a shelf, beside a control."""
        catalogue, mine = self._shared.catalogue, own_shelf(self._shared.my_id)
        self._menu.clear()
        self._menu.addSection(_WHERE)
        shelves = [mine] if self._shared.my_id else []
        if all_shelves:
            shelves += catalogue.shared_shelves
        for shelf in shelves:
            action = self._menu.addAction(shelf.name)
            action.triggered.connect(lambda _checked=False, to=shelf: act(to))
        height = self._menu.sizeHint().height()
        spot = where.mapToGlobal(QPoint(0, 0))
        above = where.mapTo(where.window(), QPoint(0, 0)).y() > height
        self._menu.popup(spot - QPoint(0, height) if above else spot + QPoint(0, where.height()))
        if len(self._menu.actions()) > 1:
            self._menu.setActiveAction(self._menu.actions()[1])

    def move_to(self, shelf: Shelf, keys: list[str] | None = None) -> None:
        """Move templates, or else what is selected, to a shelf."""
        known = self._shared.catalogue.templates
        found = [known[key] for key in keys if key in known] if keys else self._templates
        moved = [template for template in found if template.shelf != shelf.id]
        if not moved:
            return
        library, ids = self._shared.library, [template.id for template in moved]

        def move() -> None:
            library.make_sure_of(shelf)
            library.set_template(*ids, shelf=shelf.id, seen=moved)

        def back() -> None:
            for template in moved:
                library.set_template(template.id, shelf=template.shelf)

        self._do(move, f"{_what(moved)} moved to “{shelf.name}”.", "Move back", back)

    def copy_to(self, shelf: Shelf) -> None:
        """Copy what is selected to a shelf."""
        taken = {template.title for template in self._shared.catalogue.templates.values()}
        copies = [
            Copied(t.id, self._shared.token(), _copy_title(t.title, taken)) for t in self._templates
        ]
        said = f"{_what(self._templates)} copied to “{shelf.name}”."
        library, me, now = self._shared.library, self._shared.my_id, self._shared.now()
        self._do(lambda: library.copy_templates(copies, shelf, author=me, made=now), said)

    # In use or not

    def retire(self) -> None:
        """Retire what is selected, or bring it back if all of it is retired."""
        found = self._templates
        if not found:
            return
        library, ids = self._shared.library, [template.id for template in found]
        if _all_retired(found):
            back = "back in use" if all(t.edition for t in found) else "back"
            bring = partial(library.set_template, *ids, state="in use", seen=found)
            self._do(bring, f"{_what(found)} {back}.")
            return
        retired = [template for template in found if template.state != "retired"]
        kept = "it is kept, but not offered any more"
        if len(retired) > 1:
            kept = "they are kept, but not offered any more"
        self._do(
            lambda: library.set_template(*ids, state="retired", seen=found),
            f"{_what(retired)} retired: {kept}.",
            "Bring back",
            lambda: library.set_template(*(t.id for t in retired), state="in use"),
        )

    def _do(
        self,
        act: Callable[[], object],
        said: str,
        undo_words: str = "",
        undo: Callable[[], object] | None = None,
    ) -> None:
        shared = self._shared

        def done(_result: object) -> None:
            if undo:
                shared.voice.say(said, undo_words, lambda: shared.change(undo))
            else:
                shared.voice.say(said)

        shared.change(act, done)


def _name(button: QPushButton, words: str) -> None:
    button.setText(words)
    button.setAccessibleName(words)


def _all_pinned(found: list[Template]) -> bool:
    return bool(found) and all(template.pinned for template in found)


def _all_retired(found: list[Template]) -> bool:
    return bool(found) and all(template.state == "retired" for template in found)


def _what(found: list[Template]) -> str:
    """What something was done with, as the beginning of a sentence."""
    if len(found) == 1:
        return f"“{found[0].title}” is"
    return f"{len(found)} templates are"


def _copy_title(title: str, taken: set[str]) -> str:
    """A title for a copy that no template has yet."""
    made, number = f"{title} (copy)", 2
    while made in taken:
        made, number = f"{title} (copy {number})", number + 1
    taken.add(made)
    return made

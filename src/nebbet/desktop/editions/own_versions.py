"""One's own versions: copying a template to one's private shelf, following the original, and
offering what is on that shelf to the team."""

import msgspec
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from nebbet.core.comparing import Merged
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.catalogue import private_to
from nebbet.library.drafting import Wanted, proposal_of, state_of, with_original
from nebbet.library.holdings import Copied, Template, own_shelf


class OwnVersions(QWidget):
    """What concerns a private template, under its title. changed asks to see what is new in the
    original; edit to open a template in the editor."""

    changed = Signal(str)
    edit = Signal(str)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._template: Template | None = None
        self.make_button = pieces.button("My own version", self.make)
        self.offer_button = pieces.button("Offer to the team…", self.ask_why)
        self.moved_on = pieces.label("", "doubt", wrap=True)
        self.see_button = pieces.button("See what changed", self._see, "words")
        self.take_button = pieces.button("Take it over", self.take_over, "words")
        self.moved = QWidget()
        pieces.fill(
            QVBoxLayout(self.moved),
            self.moved_on,
            pieces.row(self.see_button, self.take_button, None),
            spacing=3,
        )
        self.shelf = StillCombo()
        theme.named(self.shelf, "Shelf of the team")
        self.reason = _Reason()
        self.reason.left.connect(self._close)
        self.reason.returnPressed.connect(self.offer)
        self._offer = QWidget()
        go = pieces.button("Offer", self.offer, "primary", "Return")
        leave = pieces.button("Leave (Esc)", self._close)
        pieces.fill(
            QVBoxLayout(self._offer),
            self.reason,
            pieces.row(pieces.label("For the shelf", "faint"), self.shelf, None, go, leave),
            spacing=6,
        )
        pieces.fill(QVBoxLayout(self), self.moved, self._offer, spacing=6)
        self._offer.hide()

    def show_template(self, template: Template | None) -> None:
        """Show what concerns this template, or nothing."""
        if template is None or self._template is None or template.id != self._template.id:
            self._offer.hide()
        self._template = template
        private = bool(template and self._is_private(template))
        has_edition = bool(template and template.edition)
        self.make_button.setVisible(has_edition and not private and bool(self._shared.my_id))
        self.offer_button.setVisible(has_edition and private)
        original = self._original
        news = bool(original and template and original.edition > template.origin_edition)
        if original and template and news:
            self.moved_on.setText(
                f"The original, “{original.title}”, has moved on: edition {original.edition} is in "
                f"use, yours was made from edition {template.origin_edition}."
            )
        self.moved.setVisible(news)
        self.setVisible(news or not self._offer.isHidden())

    def _is_private(self, template: Template) -> bool:
        return bool(private_to(self._shared.catalogue, template.shelf))

    @property
    def _original(self) -> Template | None:
        """The template that the one at hand is somebody's own version of."""
        if self._template is None:
            return None
        return self._shared.catalogue.templates.get(self._template.origin)

    def make(self) -> None:
        """Copy the template at hand to one's private shelf."""
        template, shared = self._template, self._shared
        if template is None:
            return
        mine = own_shelf(shared.my_id)
        held = shared.catalogue.templates.values()
        if any(t.origin == template.id and t.shelf == mine.id for t in held):
            shared.voice.say(f"Your own version of “{template.title}” is on your shelf already.")
            return
        copied = Copied(template.id, shared.token(), template.title, own=True)
        library, now = shared.library, shared.now()
        shared.change(
            lambda: library.copy_templates([copied], mine, author=shared.my_id, made=now),
            lambda _done: shared.voice.say(
                f"Your own version of “{template.title}” is on your shelf; only you see it."
            ),
            once=f"own version of {template.id}",
        )

    # When the original has moved on

    def _see(self) -> None:
        if original := self._original:
            self.changed.emit(original.id)

    def take_over(self) -> None:
        """Bring what is new in the original into one's own version, and show it in the editor."""
        template, original, shared = self._template, self._original, self._shared
        if template is None or original is None:
            return
        library = shared.library

        def read() -> Merged:
            editions = {e.edition: e for e in library.editions(original.id)}
            began = editions.get(template.origin_edition, original)
            merged = with_original(template, began, original)
            library.set_origin(template.id, original.id, original.edition)
            return merged

        def done(merged: Merged) -> None:
            shared.own.keep_draft(template.id, msgspec.json.encode(merged.draft))
            self.edit.emit(template.id)
            if merged.clashes:
                shared.voice.say(
                    f"You and the original changed the same: {', '.join(merged.clashes)}. Your "
                    "wording stands here."
                )
            else:
                shared.voice.say("What is new in the original is in your version: look, and save.")

        shared.change(read, done)  # type: ignore[arg-type]

    # Offering

    def ask_why(self) -> None:
        """Ask for the shelf and the reason."""
        template = self._template
        if template is None or not self._is_private(template):
            return
        self.shelf.clear()
        for shelf in self._shared.catalogue.shared_shelves:
            self.shelf.addItem(shelf.name, shelf.id)
        original = self._original
        if original:
            self.shelf.setCurrentIndex(self.shelf.findData(original.shelf))
        self.shelf.setEnabled(original is None)
        self._offer.show()
        self.show()
        self.reason.clear()
        self.reason.setFocus()

    def offer(self) -> None:
        """Propose the private template to the team, or as a change of its original."""
        template, shared = self._template, self._shared
        reason = self.reason.text().strip()
        if template is None:
            return
        if not reason:
            shared.voice.say("Say in one line why the team should have it, then press Return.")
            self.reason.setFocus()
            return
        draft = msgspec.structs.replace(state_of(template), shelf=str(self.shelf.currentData()))
        wanted = Wanted(template.id, draft, reason)
        made = proposal_of(shared.catalogue, wanted, shared.my_id, shared.now(), shared.token)
        self._close()
        library = shared.library
        shared.change(
            lambda: library.propose(made),
            lambda _done: shared.voice.say(
                f"“{template.title}” is offered to the team: a lead will look at it."
            ),
            once=f"offer {template.id}",
        )

    def _close(self) -> None:
        self._offer.hide()
        self.show_template(self._template)
        self.offer_button.setFocus()


class _Reason(QLineEdit):
    """The line on why; Esc leaves."""

    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        theme.named(self, "Why the team should have it")
        self.setPlaceholderText("Why should the team have it? One line")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Esc leaves without offering anything."""
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)

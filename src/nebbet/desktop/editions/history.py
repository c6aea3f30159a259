"""The page of a template's editions: who made which and why, any two compared, one brought back."""

from collections.abc import Sequence

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core.comparing import compare
from nebbet.core.letter import Content, TemplateDraft
from nebbet.core.placeholders import language_name
from nebbet.core.records import fold
from nebbet.core.sentences import counted
from nebbet.desktop.editions.comparison import ComparisonView
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.place import Place
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.catalogue import Catalogue, private_to
from nebbet.library.drafting import draft_in, state_of
from nebbet.library.holdings import Template
from nebbet.library.register import count_by

_BEFORE, _DRAFT = "before", "draft"


class History(Place):
    """The editions of one template, newest first, and what sets two of them apart.

    left tells that the person goes back to where they came from.
    """

    title = "Editions"
    help = (
        "Every edition of the template, with who made it, when and why. Up and Down choose one; on "
        "the right it is compared with the edition before it, or with another that you choose. "
        "Ctrl+B brings the one at hand back as a new edition: nothing is ever lost."
    )

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._template = ""
        self.editions: Sequence[Template] = ()
        self.list = ChoiceList("Editions")
        self.other = StillCombo()
        theme.named(self.other, "Compared with")
        self.view = ComparisonView()
        self.back = pieces.button("Back (Esc)", self.left.emit)
        self.restore_button = pieces.button(
            "Bring it back as a new edition", self.restore, "primary", "Ctrl+B"
        )
        self._heading = pieces.label("", "title", wrap=True)
        self._story = pieces.label("", "note", wrap=True)
        self._lay_out()
        self.list.currentItemChanged.connect(lambda *_: self._choose())
        self.other.activated.connect(lambda _index: self._compare())
        self.add_key("Bring the edition back", "Ctrl+B", self.restore)
        self.add_key("Back", "Esc", self.left.emit)

    def _lay_out(self) -> None:
        left = pieces.column("left", pieces.row(self.back, None), self.list, margin=8)
        left.setFixedWidth(300)
        right = QWidget()
        pieces.fill(
            QVBoxLayout(right),
            self._heading,
            self._story,
            pieces.row(pieces.label("Compared with", "faint"), pieces.grow(self.other),
                       self.restore_button),
            pieces.grow(self.view),
            margin=12,
        )  # fmt: skip
        pieces.fill(QHBoxLayout(self), left, pieces.grow(right), spacing=0)

    def arrive(self) -> None:
        self.list.setFocus()

    # Showing

    def open(self, template: Template) -> None:
        """Show the editions of a template."""
        self._template = template.id
        self._heading.setText(template.title)
        self.list.show_choices([])
        self.view.show_sections((), "", "")
        library = self._shared.library

        def read() -> tuple[list[Template], dict[int, int]]:
            sent = count_by(library.register_engine, "edition", template=template.id)
            return library.editions(template.id), sent

        self._shared.operations.run(read, self._show, self._shared.voice.fail)

    def _show(self, read: tuple[list[Template], dict[int, int]]) -> None:
        editions, letters = read
        self.editions = [edition for edition in editions if edition.edition]
        self.list.show_choices(
            [
                Choice(
                    str(edition.edition),
                    f"Edition {edition.edition}: {edition.note or 'no word on it'}",
                    story(self._shared.catalogue, edition),
                    aside=_letters(letters.get(edition.edition, 0)),
                )
                for edition in self.editions
            ]
        )
        self.list.choose_first()
        self.list.setFocus()

    @property
    def at(self) -> Template | None:
        """The edition at hand."""
        return next((e for e in self.editions if str(e.edition) == self.list.key), None)

    def _choose(self) -> None:
        chosen = self.at
        catalogue = self._shared.catalogue
        own = chosen is not None and bool(private_to(catalogue, chosen.shelf))
        self.restore_button.setVisible(own or self._shared.leads)
        newest = self.editions[0].edition if self.editions else 0
        self.restore_button.setEnabled(chosen is not None and chosen.edition != newest)
        if chosen is None:
            return
        self.other.clear()
        self.other.addItem("the edition before it", _BEFORE)
        if self._draft() is not None:
            self.other.addItem("your draft", _DRAFT)
        for edition in self.editions:
            if edition is not chosen:
                self.other.addItem(f"edition {edition.edition}", str(edition.edition))
        self._compare()

    def _draft(self) -> TemplateDraft | None:
        kept = self._shared.own.drafts.get(self._template)
        return draft_in(kept) if kept else None

    def _compare(self) -> None:
        chosen = self.at
        if chosen is None:
            return
        name, other = self._other_side(chosen)
        this = f"Edition {chosen.edition}"
        self._story.setText(f"{this}: {story(self._shared.catalogue, chosen)}")
        if self.other.currentData() == _DRAFT:
            self._show_sides((this, state_of(chosen)), (name, other))
        else:
            self._show_sides((name, other), (this, state_of(chosen)))

    def _other_side(self, chosen: Template) -> tuple[str, TemplateDraft]:
        wanted = self.other.currentData()
        draft = self._draft()
        if wanted == _DRAFT and draft is not None:
            return "Your draft", draft
        number = chosen.edition - 1 if wanted == _BEFORE else int(wanted)
        found = next((e for e in self.editions if e.edition == number), None)
        if found is None:
            return "Nothing before it", TemplateDraft("", "", Content())
        return f"Edition {number}", state_of(found)

    def _show_sides(
        self, before: tuple[str, TemplateDraft], after: tuple[str, TemplateDraft]
    ) -> None:
        show_comparison(self.view, self._shared.catalogue, before, after)

    # Acts

    def restore(self) -> None:
        """Make a new edition that says what the one at hand says."""
        chosen, shared = self.at, self._shared
        if chosen is None or not self.restore_button.isEnabled():
            return
        newest, now = self.editions[0].edition, shared.now()
        me, library = shared.my_id, shared.library

        def made(number: object) -> None:
            shared.voice.say(
                f"Edition {number} is in use: it says what edition {chosen.edition} said."
            )
            self.open(chosen)

        shared.change(
            lambda: library.save_edition(
                chosen.id,
                chosen.title,
                chosen.content,
                author=me,
                note=f"As in edition {chosen.edition}",
                made=now,
                based_on=newest,
            ),
            made,
            once=f"bring back {chosen.id}",
        )


def _letters(count: int) -> str:
    return counted("1 letter", "{count} letters", count=count) if count else ""


def story(catalogue: Catalogue, template: Template) -> str:
    """Who made an edition, and when."""
    author = catalogue.members.get(template.author)
    made = f"{template.made.astimezone():%d %b %Y, %H:%M}" if template.made else ""
    return ", ".join(filter(None, (author.name if author else "", made)))


def show_comparison(
    view: ComparisonView,
    catalogue: Catalogue,
    before: tuple[str, TemplateDraft],
    after: tuple[str, TemplateDraft],
) -> None:
    """Show what sets two named states apart, with files and languages by their names."""

    def file(sha256: str) -> str:
        return catalogue.files[sha256].name if sha256 in catalogue.files else "not in the library"

    def shelf(shelf_id: str) -> str:
        return next((s.name for s in catalogue.shelves if s.id == shelf_id), shelf_id)

    sections = compare(before[1], after[1], file=file, language=language_name, shelf=shelf)
    labels = {
        fold(placeholder.name): placeholder.label
        for _, state in (before, after)
        for placeholder in state.content.placeholders
        if placeholder.label
    }
    view.show_sections(sections, before[0], after[0], labels)

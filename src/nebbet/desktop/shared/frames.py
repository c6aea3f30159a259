"""The page of frames: the look round every letter, edited once for the team."""

from functools import partial

from msgspec.structs import replace
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QColorDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nebbet.core import checks
from nebbet.core.body import BUILT_IN, Frame, read
from nebbet.core.letter import Enclosure
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.paper.body_tools import PICTURES
from nebbet.desktop.paper.sheet import Desk, Sheet
from nebbet.desktop.paper.slot_edit import SlotEdit
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.list_page import ListPage
from nebbet.desktop.shared.unsaved import Form

_COLOURS = {
    "accent": "Band, links, buttons",
    "ink": "Text",
    "faint": "Foot",
    "paper": "Paper",
    "ground": "Round the paper",
}
_SAMPLE = """
<h1>How a letter looks</h1>
<p>Dear Ms Karlsen, this is what the text looks like, with a
<a href="https://www.example.org">link</a> and <strong>what matters</strong> in it.</p>
<dl><dt>Booking</dt><dd>LS-48213</dd><dt>Sailing</dt><dd>Friday at 08:15</dd></dl>
<h2>A smaller heading</h2>
<ul><li>the first of two</li><li>the second</li></ul>
<p data-button><a href="https://www.example.org">Change the booking</a></p>
"""


class SharedFrames(ListPage[Frame]):
    """The list of frames, a live sample, and what the frame at hand is made of."""

    title = "Frames"
    help = (
        "A frame is the look round a letter: band, colours, type, width, foot. A change reaches "
        "every template that stands in it, once Ctrl+S keeps it. The built-in frames stay as they "
        "are; copy one to make it yours. Contrast is checked by WCAG 2.2: text needs 4.5 to 1."
    )
    kinds = ("frame", "template")

    def __init__(self, shared: SharedLibrary) -> None:
        form = Form("frame", Frame, self._show_frame, self._write, self.frame)
        super().__init__(shared, "Frames", form, Frame)
        self._held = Frame()
        self._logo = ""
        self.sample = SlotEdit(shared.pictures)
        self.name, self.band, self.logo_alt, self.type_stack = (QLineEdit() for _ in range(4))
        self.colours = {part: QLineEdit() for part in _COLOURS}
        self._swatches: dict[str, QPushButton] = {}
        self.width_field = pieces.number(320, 900)
        self.logo_width = pieces.number(0, 600, "own size")
        self.foot = QPlainTextEdit()
        self.contrasts = pieces.label("", "note", wrap=True)
        self.reach = pieces.label("", "note", wrap=True)
        self.keep_button = pieces.button("Keep (Ctrl+S)", self.keep, "primary")
        self.copy_button = pieces.button("Copy this frame", self.copy, "words")
        self.drop = pieces.button("Remove", self._remove, "words")
        self.earlier_button = pieces.button(
            "Earlier states", self.earlier.emit, "words", "Ctrl+Alt+H"
        )
        self.for_leads = (self.keep_button, self.copy_button, self.drop)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        left = pieces.column(
            "left",
            pieces.row(self.back, None),
            self.list,
            pieces.row(self.copy_button, None, self.drop),
            pieces.row(self.earlier_button, None),
            margin=8,
        )
        left.setFixedWidth(230)
        theme.named(self.sample, "Sample of the frame")
        self.sample.setReadOnly(True)
        self.sheet = Sheet([], self.sample)
        self.sheet.show_rows(False)
        inside = QWidget()
        pieces.fill(QVBoxLayout(inside), self._form(), self.contrasts, self.reach, None, spacing=8)
        self.typed_into = (inside,)
        right = pieces.column("right", pieces.scrolled(inside), self.keep_button)
        right.setFixedWidth(360)
        pieces.fill(QHBoxLayout(self), left, pieces.grow(Desk(self.sheet)), right, spacing=0)

    def _form(self) -> QFormLayout:
        form = QFormLayout()
        form.setVerticalSpacing(6)
        self.foot.setFixedHeight(70)
        self.foot.setTabChangesFocus(True)
        self.band.setPlaceholderText("words of the band; the logo takes their place")
        self.logo_alt.setPlaceholderText("what the logo says, for who cannot see it")
        pieces.captioned(form, "Name", self.name)
        pieces.captioned(form, "Band", self.band)
        choose = pieces.button("Logo…", self.ask_for_logo)
        self._no_logo = pieces.button("No logo", self._drop_logo, "words")
        theme.named(self.logo_width, "Width of the logo in pixels")
        form.addRow(pieces.label("Logo", "faint"), _box(choose, self.logo_width, self._no_logo))
        pieces.captioned(form, "Logo says", self.logo_alt)
        for part, words in _COLOURS.items():
            swatch = pieces.button("", partial(self._ask_for_colour, part))
            theme.named(swatch, f"Choose the colour: {words}")
            swatch.setFixedWidth(36)
            self._swatches[part] = swatch
            theme.named(self.colours[part], words)
            form.addRow(pieces.label(words, "faint"), _box(self.colours[part], swatch))
        pieces.captioned(form, "Type", self.type_stack)
        pieces.captioned(form, "Width, pixels", self.width_field)
        pieces.captioned(form, "Foot", self.foot)
        return form

    def _connect(self) -> None:
        for field in (self.name, self.band, self.logo_alt, self.type_stack, *self.colours.values()):
            field.textEdited.connect(self._edited)
        for number in (self.width_field, self.logo_width):
            number.valueChanged.connect(self._edited)
        self.foot.textChanged.connect(self._edited)
        self.add_key("Keep the frame", "Ctrl+S", self.keep)
        self.add_key("Copy the frame", "Ctrl+Alt+A", self.copy)
        self.add_key("Back", "Esc", self.leave)

    # Showing

    def may_type(self) -> bool:
        return super().may_type() and self.unsaved.key not in BUILT_IN

    @property
    def shared(self) -> tuple[type[Frame], str, str]:
        """The frame at hand: what it is, its key, and what it is called."""
        return Frame, self.list.key, self._shared.catalogue.frame(self.list.key).name

    def choices(self) -> list[Choice]:
        found = []
        for key, frame in self._shared.catalogue.frames.items():
            users = len(self._shared.search.users.of_frame(key))
            aside = (
                "built in"
                if key in BUILT_IN
                else said("in {users}", users=users)
                if users
                else said("unused")
            )
            if self.unsaved.has_draft(key):
                aside = "draft"
            found.append(Choice(key, frame.name or key, aside=aside))
        return found

    def record(self, key: str) -> Frame | None:
        return self._shared.catalogue.frames.get(key)

    def _show_frame(self, frame: object) -> None:
        """Take up a frame as the library has it."""
        found = frame if isinstance(frame, Frame) else Frame()
        self._held = found
        self._write(replace(found, name=found.name or (self.unsaved.key or "")))

    def _write(self, frame: Frame) -> None:
        self._logo = frame.logo
        self.name.setText(frame.name)
        self.band.setText(frame.band)
        self.logo_alt.setText(frame.logo_alt)
        self.logo_width.setValue(frame.logo_width)
        self.type_stack.setText(frame.font)
        for part, field in self.colours.items():
            field.setText(getattr(frame, part))
        self.width_field.setValue(frame.width)
        self.foot.setPlainText("\n".join(frame.foot))
        pieces.show_beginnings(self)

    def frame(self) -> Frame:
        """The frame as the fields say."""
        lines = tuple(line for line in self.foot.toPlainText().split("\n") if line.strip())
        return replace(
            self._held,
            name=self.name.text().strip(),
            band=self.band.text().strip(),
            logo=self._logo,
            logo_alt=self.logo_alt.text().strip(),
            logo_width=self.logo_width.value(),
            font=self.type_stack.text().strip(),
            width=self.width_field.value(),
            foot=lines,
            **{part: field.text().strip() for part, field in self.colours.items()},
        )

    def shown(self) -> None:
        key = self.unsaved.key or ""
        own = key not in BUILT_IN
        for widget in (
            self.name, self.band, self.logo_alt, self.logo_width, self.type_stack, self.width_field,
            self.foot, *self.colours.values(), *self._swatches.values(), self.keep_button,
        ):  # fmt: skip
            widget.setEnabled(own)
        users = len(self._shared.search.users.of_frame(key))
        self.drop.setEnabled(own and not users)
        reach = counted(
            "A change reaches 1 template at once.",
            "A change reaches {count} templates at once.",
            count=users,
        )
        self.reach.setText(reach if own else said("Built in: copy it to change it."))
        self._sample()

    def _edited(self, *_args: object) -> None:
        if not self.unsaved.is_filling:
            self._sample()
            self.unsaved.edited()

    def _sample(self) -> None:
        """The sample in the frame as it is now, and how well it can be read."""
        frame = self.frame()
        if not any(found.problem for found in checks.contrasts(frame)):
            self.sheet.set_frame(frame)
            self.sample.show_content(read(_SAMPLE), {})
        for part, swatch in self._swatches.items():
            colour = QColor(getattr(frame, part))
            ground = colour.name() if colour.isValid() else "transparent"
            swatch.setStyleSheet(f"background: {ground}; border: 1px solid #8A8291;")
        self._no_logo.setVisible(bool(self._logo))
        self.contrasts.setText("\n".join(_contrasts(frame)))
        pieces.restyle(self.contrasts, "wrong", any(True for _ in checks.check_frame(frame)))

    # Changing

    def _ask_for_colour(self, part: str) -> None:
        now = QColor(self.colours[part].text())
        found = QColorDialog.getColor(now, self.window(), _COLOURS[part])
        if found.isValid():
            self.colours[part].setText(found.name().upper())
            self._edited()

    def ask_for_logo(self) -> None:
        """Choose a picture file as the logo."""
        path, _ = QFileDialog.getOpenFileName(self.window(), "Logo", "", PICTURES)
        if path:
            self._shared.intake.add_files([path], self._take_logo)

    def _take_logo(self, enclosure: Enclosure) -> None:
        self._logo = enclosure.file
        if not self.logo_alt.text():
            self.logo_alt.setText(self.band.text())
        self._edited()

    def _drop_logo(self) -> None:
        self._logo = ""
        self._edited()

    def keep(self) -> None:
        """Keep the frame; every template in it looks so from now on."""
        shared, key = self._shared, self.unsaved.key or ""
        if key in BUILT_IN:
            shared.voice.say(said("A built-in frame stays as it is: copy it, then change it."))
            return
        frame = self.frame()
        wrong = next(iter(checks.check_frame(frame)), None)
        if not frame.name or wrong:
            problem = wrong.sentence if wrong else said("The frame has no name")
            shared.voice.say(said("Not kept yet. {problem}.", problem=problem))
            return
        library, me, now = shared.library, shared.my_id, shared.now()
        words = said("The frame “{name}” is kept.", name=frame.name)
        self.put(
            key,
            frame,
            lambda seen: library.put_frame(key, frame, me, now, seen),
            words,
        )

    def copy(self) -> None:
        """Make a frame of the team's own from the one at hand."""
        shared = self._shared
        made, key = self.frame(), shared.token()
        made = replace(made, name=said("{name}, copy", name=made.name))
        library, me, now = shared.library, shared.my_id, shared.now()
        self._wanted = key
        shared.change(lambda: library.put_frame(key, made, me, now), once="copy a frame")

    def _remove(self) -> None:
        key, library, held = self.unsaved.key or "", self._shared.library, self._held
        if self._shared.voice.ask(
            said("Remove the frame “{name}”?", name=self._held.name),
            said("No template stands in it."),
            said("Remove"),
        ):
            self.take_out(lambda: library.remove_frame(key, held))


def _box(*widgets: QWidget) -> QHBoxLayout:
    row = QHBoxLayout()
    pieces.fill(row, *widgets)
    return row


def _contrasts(frame: Frame) -> list[str]:
    """How well each pair of colours can be read, in words."""
    lines = []
    for found in checks.contrasts(frame):
        if found.problem:
            lines.append(f"■ {found.problem}")
            continue
        mark = "✓" if found.is_enough else "▲"
        lines.append(f"{mark} {found.what.capitalize()}: {found.ratio:.1f} to 1")
    return lines

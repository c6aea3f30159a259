"""How the values of a letter stand on the paper."""

from collections.abc import Callable, Iterable
from datetime import date
from typing import NamedTuple

from nebbet.core.body import render_plain
from nebbet.core.errors import NebbetError
from nebbet.core.inline import Slot
from nebbet.core.letter import Letter, by_place
from nebbet.core.message.taken import Taken, taken_from
from nebbet.core.placeholders import Particular, language_of, text_in, yes_and_no
from nebbet.desktop.paper.docformat import Shown
from nebbet.desktop.paper.marks import MarkKind


class Filling(NamedTuple):
    """What is to stand in a placeholder's places: text (None for a blank), label, kind of mark.

    with_modifiers writes the value for a place that has modifiers. answer is what a person typed
    for it, letter by letter. choices are the words it may be, is_day says that it is a day, and
    day which one. found are values for it that the message has that is answered, with the words
    round them.
    """

    text: str | None
    label: str
    kind: MarkKind
    long: bool = False
    with_modifiers: Callable[[str], str | None] | None = None
    answer: str | None = None
    choices: tuple[str, ...] = ()
    is_day: bool = False
    day: date | None = None
    found: tuple[Taken, ...] = ()

    @property
    def offers(self) -> bool:
        """Whether there is something to choose from."""
        return bool(self.choices or self.found)

    def shown(self, slot: Slot) -> Shown:
        """How it stands in one place; a blank shows its label."""
        text = self.text
        if slot.modifiers and self.with_modifiers:
            text = self.with_modifiers(slot.modifiers)
        return Shown(self.label, True) if text is None else Shown(text, False)


NO_FILLING = Filling(None, "", "unknown")


def fillings_of(
    letter: Letter, particulars: Iterable[Particular], today: date | None = None
) -> dict[str, Filling]:
    """How every value of a letter is shown, by what its places are kept by. Blanks of an answer are
    offered what the message says, as it is read on a day."""
    # Its first line says who wrote it, which the letter knows.
    message = render_plain(letter.quoted[1:]) if letter.quoted and today else ""
    made = {}
    for key, particular in by_place(letter, particulars).items():
        filling = filling_of(particular, letter.language)
        placeholder = particular.placeholder
        if message and today and placeholder.source == "blank" and not filling.choices:
            taken = taken_from(
                message, placeholder.kind, placeholder.currency, letter.language, today
            )
            filling = filling._replace(found=taken)
        made[key] = filling
    return made


def filling_of(particular: Particular, language: str) -> Filling:
    """How a value is shown on the paper."""
    placeholder = particular.placeholder
    kind: MarkKind = "changed" if particular.changed else "value"
    if not particular.known or particular.problem:
        kind = "unknown"

    def with_modifiers(modifiers: str) -> str | None:
        try:
            return text_in(particular, modifiers, language)
        except NebbetError:
            return None  # a finding says why

    return Filling(
        particular.text,
        placeholder.title,
        kind,
        placeholder.long,
        with_modifiers,
        particular.answer,
        choices_of(particular, language),
        is_day(particular),
        particular.value if isinstance(particular.value, date) else None,
    )


def choices_of(particular: Particular, language: str) -> tuple[str, ...]:
    """The words that a value may be, in the letter's language."""
    placeholder = particular.placeholder
    if placeholder.kind == "yes/no":
        try:
            return yes_and_no(language_of(language).language)
        except NebbetError:
            return ()
    return placeholder.choices if placeholder.kind == "choice" else ()


def is_day(particular: Particular) -> bool:
    """Whether a value is a day of the calendar."""
    kind = particular.placeholder.kind
    return kind == "date" or (kind == "text" and isinstance(particular.value, date))

"""The last day on which a file should go out; it holds wherever the file is used."""

from datetime import date

from nebbet.core.sentences import said
from nebbet.desktop.session.shared_library import SharedLibrary


def last_day(shared: SharedLibrary, file: str, text: str) -> tuple[date | None, str] | None:
    """What was typed as the last day of a file, and the words for it; nothing where that is the day
    already, or is no day, which is told."""
    held = shared.catalogue.files.get(file)
    try:
        day = date.fromisoformat(text.strip()) if text.strip() else None
    except ValueError:
        shared.voice.say(
            said(
                "“{text}” is no day; the last day stays as it was. Write it as 2027-03-31.",
                text=text.strip(),
            )
        )
        return None
    if held is None or held.valid_until == day:
        return None
    words = said("{name} goes out without an end, in every template.", name=held.name)
    if day:
        words = said(
            "{name} goes out until {day:%d %B %Y}, in every template.", name=held.name, day=day
        )
    return day, words


def set_valid_until(shared: SharedLibrary, file: str, text: str) -> None:
    """Keep what was typed as the last day of a file, or say why it is no day."""
    if found := last_day(shared, file, text):
        day, words = found
        library = shared.library
        shared.change(
            lambda: library.set_valid_until(file, day),
            lambda _done: shared.voice.say(words),
        )

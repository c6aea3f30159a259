"""The last day on which a file should go out; it holds wherever the file is used."""

from datetime import date

from nebbet.desktop.session.shared_library import SharedLibrary


def set_valid_until(shared: SharedLibrary, file: str, text: str) -> None:
    """Keep what was typed as the last day of a file, or say why it is no day."""
    held = shared.catalogue.files.get(file)
    try:
        day = date.fromisoformat(text.strip()) if text.strip() else None
    except ValueError:
        shared.voice.say(
            f"“{text.strip()}” is no day; the last day stays as it was. Write it as 2027-03-31."
        )
        return
    if held is None or held.valid_until == day:
        return
    library = shared.library
    said = f"goes out until {day:%d %B %Y}" if day else "goes out without an end"
    shared.change(
        lambda: library.set_valid_until(file, day),
        lambda _done: shared.voice.say(f"{held.name} {said}, in every template."),
    )

"""What one keeps of templates for oneself: drafts and pins; which files are one's own."""

from collections.abc import Iterable

from sqlalchemy import Engine, delete, insert, select

from nebbet.library.engine import explained
from nebbet.personal.tables import draft_table, letter_file_table, pin_table


def keep_draft(engine: Engine, template: str, data: bytes | None) -> None:
    """Keep the unsaved state of a template (JSON), or forget it."""
    kept = "Your text is still on the page"
    with explained("The draft cannot be kept on disk", kept), engine.begin() as connection:
        connection.execute(delete(draft_table).where(draft_table.c.template == template))
        if data is not None:
            connection.execute(insert(draft_table).values(template=template, data=data))


def set_pinned(engine: Engine, templates: Iterable[str], pinned: bool) -> None:
    """Pin templates for oneself, or take their pins away."""
    with explained("The pin cannot be kept"), engine.begin() as connection:
        for template in templates:
            connection.execute(delete(pin_table).where(pin_table.c.template == template))
            if pinned:
                connection.execute(insert(pin_table).values(template=template))


def pins(engine: Engine) -> frozenset[str]:
    """The templates that the person has pinned for themselves."""
    with explained("Your pins cannot be read"), engine.connect() as connection:
        return frozenset(connection.scalars(select(pin_table.c.template)))


def note_letter_files(engine: Engine, files: Iterable[str], only_in_letters: bool) -> None:
    """Remember files, by SHA-256, as those of one's own letters alone, or as the team's."""
    table = letter_file_table
    with explained("Whose a file is cannot be kept"), engine.begin() as connection:
        for file in files:
            connection.execute(delete(table).where(table.c.sha256 == file))
            if only_in_letters:
                connection.execute(insert(table).values(sha256=file))


def letter_files(engine: Engine) -> frozenset[str]:
    """The files that came with letters of one's own."""
    with explained("Your files cannot be read"), engine.connect() as connection:
        return frozenset(connection.scalars(select(letter_file_table.c.sha256)))


def drafts(engine: Engine) -> dict[str, bytes]:
    """The unsaved states of templates, by template."""
    with explained("Your drafts cannot be read"), engine.connect() as connection:
        return {row[0]: row[1] for row in connection.execute(select(draft_table))}

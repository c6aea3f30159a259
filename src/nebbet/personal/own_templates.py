"""What one keeps of templates for oneself: drafts and pins."""

from collections.abc import Iterable

from sqlalchemy import Engine, delete, insert, select

from nebbet.library.engine import explained
from nebbet.personal.tables import draft_table, pin_table


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


def drafts(engine: Engine) -> dict[str, bytes]:
    """The unsaved states of templates, by template."""
    with explained("Your drafts cannot be read"), engine.connect() as connection:
        return {row[0]: row[1] for row in connection.execute(select(draft_table))}

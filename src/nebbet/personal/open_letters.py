"""The open letters, and the answers that the next letter with a template begins with."""

from collections.abc import Mapping

from sqlalchemy import Connection, Engine, Select, delete, insert, select, update

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter, from_json, to_json
from nebbet.core.records import fold
from nebbet.library.engine import explained
from nebbet.personal.tables import answer_table, letter_table, outbox_table


def keep_letter(engine: Engine, letter: Letter, now: float) -> None:
    """Keep an open letter as it stands. now is in seconds since 1970."""
    row = {"changed": now, "data": to_json(letter)}
    kept = "It is still on the page"
    with explained("The letter cannot be kept on disk", kept), engine.begin() as connection:
        changed = connection.execute(
            update(letter_table).where(letter_table.c.id == letter.id).values(row)
        )
        if not changed.rowcount and connection.scalar(_in_outbox(letter.id)) is None:
            connection.execute(insert(letter_table).values(id=letter.id, **row))


def _in_outbox(letter_id: str) -> Select[tuple[str]]:
    """A letter in the outbox is never on the pile as well: it would be sent twice."""
    return select(outbox_table.c.id).where(outbox_table.c.id == letter_id)


def drop_letter(engine: Engine, letter_id: str) -> None:
    """Forget an open letter."""
    with explained("The letter cannot be removed"), engine.begin() as connection:
        connection.execute(delete(letter_table).where(letter_table.c.id == letter_id))


def open_letters(engine: Engine) -> tuple[list[Letter], int]:
    """The open letters, newest first, and how many could not be read (they stay in the file)."""
    statement = select(letter_table.c.data).order_by(letter_table.c.changed.desc())
    with explained("Your open letters cannot be read"), engine.connect() as connection:
        rows = list(connection.scalars(statement))
    letters: list[Letter] = []
    for data in rows:
        try:
            letters.append(from_json(data))
        except NebbetError:
            continue  # counted below; one broken letter never hides the others
    return letters, len(rows) - len(letters)


def answers_to_keep(letter: Letter) -> dict[str, str]:
    """The answers of a letter that its template asks to remember, by folded name."""
    wanted = {fold(p.name) for p in letter.placeholders if p.remember and p.source == "blank"}
    return {name: text for name, text in letter.answers.items() if name in wanted and text}


def write_answers(connection: Connection, template: str, kept: Mapping[str, str]) -> None:
    """Keep answers for the next letter with a template, inside a transaction."""
    for name, answer in kept.items():
        mine = (answer_table.c.template == template, answer_table.c.name == name)
        connection.execute(delete(answer_table).where(*mine))
        connection.execute(insert(answer_table).values(template=template, name=name, text=answer))


def answers(engine: Engine) -> dict[str, dict[str, str]]:
    """The remembered answers, by template and folded name."""
    found: dict[str, dict[str, str]] = {}
    with explained("Your last answers cannot be read"), engine.connect() as connection:
        for template, name, text in connection.execute(select(answer_table)):
            found.setdefault(template, {})[name] = text
    return found

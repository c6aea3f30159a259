"""The person's own file: open letters and the outbox."""

from collections.abc import Iterable, Mapping
from pathlib import Path

from sqlalchemy import (
    Column,
    Connection,
    Engine,
    Float,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    Select,
    String,
    Table,
    Text,
    delete,
    insert,
    select,
    text,
    update,
)

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter, from_json, to_json
from nebbet.core.records import fold
from nebbet.library.disk import close_to_others
from nebbet.library.engine import explained, sqlite_engine

VERSION = 1

metadata = MetaData()

letter_table = Table(
    "letter",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("changed", Float, nullable=False),
    Column("data", LargeBinary, nullable=False),
)

draft_table = Table(
    "draft",
    metadata,
    Column("template", String(64), primary_key=True),
    Column("data", LargeBinary, nullable=False),
)

answer_table = Table(
    "answer",
    metadata,
    Column("template", String(64), primary_key=True),
    Column("name", String(120), primary_key=True),
    Column("text", Text, nullable=False),
)

waiting_table = Table(
    "waiting",
    metadata,
    Column("number", Integer, primary_key=True, autoincrement=True),
    Column("kind", String(16), nullable=False),
    Column("data", LargeBinary, nullable=False),
    Column("refused", Text, nullable=False, default=""),
    sqlite_autoincrement=True,
)

pin_table = Table("pin", metadata, Column("template", String(64), primary_key=True))

outbox_table = Table(
    "outbox",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("message_id", String(255), nullable=False),
    Column("state", String(16), nullable=False),
    Column("due", Float, nullable=False),
    Column("attempts", Integer, nullable=False, default=0),
    Column("words", Text, nullable=False, default=""),
    Column("item", LargeBinary, nullable=False),
    Index("outbox_state", "state"),
    Index("outbox_message", "message_id"),
)


def open_personal(path: Path) -> Engine:
    """Open or make the personal file. Raises NebbetError when that cannot be."""
    kept = "It was not touched"
    with explained(f"The file {path.name} with your letters cannot be opened", kept):
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        path.touch(mode=0o600)
        close_to_others(path)  # also what an earlier Nebbet made
        engine = sqlite_engine(path)
        with engine.begin() as connection:
            version = connection.scalar(text("PRAGMA user_version")) or 0
            if version > VERSION:
                raise NebbetError(
                    f"The file {path.name} was made by a newer Nebbet",
                    kept=kept,
                    advice="Update Nebbet on this computer",
                )
            metadata.create_all(connection)
            connection.execute(text(f"PRAGMA user_version = {VERSION}"))
        return engine


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


def keep_draft(engine: Engine, template: str, data: bytes | None) -> None:
    """Keep the unsaved state of a template (JSON), or forget it."""
    kept = "Your text is still on the page"
    with explained("The draft cannot be kept on disk", kept), engine.begin() as connection:
        connection.execute(delete(draft_table).where(draft_table.c.template == template))
        if data is not None:
            connection.execute(insert(draft_table).values(template=template, data=data))


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

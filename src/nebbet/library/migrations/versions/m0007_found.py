"""The register is found in by the database: each letter has the words it is found by."""

import sqlalchemy as sa
from alembic import op

from nebbet.library.entries import Registered, found_by
from nebbet.library.schema import WORDS_OF_LETTERS

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

_AT_ONCE = 2000
_FOUND_BY = ("name", "address", "case_number", "title", "subject")
_letter = sa.table("register", *(sa.column(name) for name in ("message_id", "words", *_FOUND_BY)))


def upgrade() -> None:
    connection = op.get_bind()
    if "words" not in {column["name"] for column in sa.inspect(connection).get_columns("register")}:
        op.add_column("register", sa.Column("words", sa.Text, nullable=False, server_default=""))
    on_server = connection.dialect.name == "postgresql"
    # Nothing happened to the letters: nobody is to read them all again.
    if on_server:
        op.execute("ALTER TABLE register DISABLE TRIGGER USER")
        _fill(connection)
        op.execute("ALTER TABLE register ENABLE TRIGGER USER")
    else:
        op.execute("DROP TRIGGER IF EXISTS register_logs_update")
        _fill(connection)
    op.execute("DROP INDEX IF EXISTS register_template")
    op.execute("CREATE INDEX register_template ON register (template, sent)")
    op.execute("CREATE INDEX IF NOT EXISTS register_sender ON register (sender, sent)")
    if on_server:
        op.execute(
            "CREATE INDEX IF NOT EXISTS register_words ON register "
            "USING gin (to_tsvector('pg_catalog.simple', words))"
        )
        return
    op.execute("DROP TABLE IF EXISTS register_words")
    for statement in WORDS_OF_LETTERS:
        op.execute(statement)
    op.execute(
        "INSERT INTO register_words (words, message_id) SELECT words, message_id FROM register"
    )


def _fill(connection: sa.Connection) -> None:
    """Give every letter its words, in portions."""
    columns = [_letter.c[name] for name in ("message_id", *_FOUND_BY)]
    last = ""
    while True:
        some = sa.select(*columns).where(_letter.c.message_id > last)
        rows = connection.execute(some.order_by(_letter.c.message_id).limit(_AT_ONCE)).all()
        if not rows:
            return
        last = rows[-1].message_id
        change = (
            sa.update(_letter)
            .where(_letter.c.message_id == sa.bindparam("at"))
            .values(words=sa.bindparam("said"))
        )
        found = [{"at": row.message_id, "said": _words(row)} for row in rows]
        connection.execute(change, found)


def _words(row: sa.Row) -> str:  # type: ignore[type-arg]
    texts = {name: getattr(row, name) for name in _FOUND_BY}
    return found_by(Registered(row.message_id, None, "", **texts))  # type: ignore[arg-type]

"""People and cases are read by page and found by the database; kinds of case and linked tables."""

from typing import Any

import msgspec
import sqlalchemy as sa
from alembic import op

from nebbet.core.errors import UNREADABLE
from nebbet.core.records import Case, Contact
from nebbet.library import schema
from nebbet.library.columns import columns
from nebbet.library.held_fields import fields_of, note_fields
from nebbet.library.people_rows import people_of

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

_AT_ONCE = 1000
_KINDS: tuple[tuple[sa.Table, type[Contact] | type[Case]], ...] = (
    (schema.contact, Contact),
    (schema.case, Case),
)
_TOLD = ("kind", "linked", "held_field")
_NEW = (schema.case_person, schema.held_field, schema.kind, schema.linked)


def upgrade() -> None:
    connection = op.get_bind()
    on_server = connection.dialect.name == "postgresql"
    for table in _NEW:
        table.create(connection, checkfirst=True)
    for table, kind in _KINDS:
        _add_columns(connection, table)
        # Nothing happened to the records: nobody is to read them all again.
        if on_server:
            op.execute(f"ALTER TABLE {table.name} DISABLE TRIGGER USER")
            _fill(connection, table, kind)
            op.execute(f"ALTER TABLE {table.name} ENABLE TRIGGER USER")
        else:
            op.execute(f"DROP TRIGGER IF EXISTS {table.name}_logs_update")
            _fill(connection, table, kind)
            _log(table.name, "UPDATE", "NEW")
    for table in (schema.contact, schema.case, schema.register):
        for index in sorted(table.indexes, key=lambda one: str(one.name)):
            index.create(connection, checkfirst=True)
    if on_server:
        _for_postgresql()
    else:
        _for_a_file()


def _add_columns(connection: sa.Connection, table: sa.Table) -> None:
    there = {column["name"] for column in sa.inspect(connection).get_columns(table.name)}
    for column in table.columns:
        if column.name not in there:
            op.add_column(table.name, column._copy())


def _for_a_file() -> None:
    for table in _TOLD:
        for act, row in (("INSERT", "NEW"), ("UPDATE", "NEW"), ("DELETE", "OLD")):
            _log(table, act, row)
    for name in schema.FOUND_IN:
        op.execute(f"DROP TABLE IF EXISTS {name}_words")
        for statement in schema.words_of(name):
            op.execute(statement)
        op.execute(f"INSERT INTO {name}_words ({name}_words) VALUES ('rebuild')")


def _log(table: str, act: str, row: str) -> None:
    logs = f"{table}_logs_{act.lower()} AFTER {act} ON {table}"
    entry = f"INSERT INTO change (kind, key) VALUES ('{table}', {row}.id)"
    op.execute(f"CREATE TRIGGER IF NOT EXISTS {logs} BEGIN {entry}; END")


def _for_postgresql() -> None:
    for table in _TOLD:
        op.execute(
            f"CREATE OR REPLACE TRIGGER {table}_tells AFTER INSERT OR UPDATE OR DELETE "
            f"ON {table} FOR EACH STATEMENT EXECUTE FUNCTION nebbet_tell()"
        )
        op.execute(
            f"CREATE OR REPLACE TRIGGER {table}_logs AFTER INSERT OR UPDATE OR DELETE "
            f"ON {table} FOR EACH ROW EXECUTE FUNCTION nebbet_logs('id')"
        )
    for name in schema.FOUND_IN:
        for column in ("words", "near"):
            op.execute(
                f"CREATE INDEX IF NOT EXISTS {name}_{column} ON {name} "
                f"USING gin (to_tsvector('pg_catalog.simple', {column}))"
            )
    for statement in _PEOPLE_OF_CASES:
        op.execute(statement)
    for name in ("kind", "linked"):
        op.execute(f"ALTER TABLE {name} DROP CONSTRAINT IF EXISTS {name}_data_is_json")
        op.execute(
            f"ALTER TABLE {name} ADD CONSTRAINT {name}_data_is_json CHECK (nebbet_is_json(data))"
        )


# Who is in a case is what the case says, and nobody else.
_PEOPLE_OF_CASES = (
    """CREATE OR REPLACE FUNCTION nebbet.nebbet_people_of_case() RETURNS trigger LANGUAGE plpgsql
    SECURITY DEFINER SET search_path = pg_catalog, nebbet, pg_temp AS $$
    BEGIN
        DELETE FROM nebbet.case_person WHERE case_ = OLD.id;
        IF TG_OP = 'DELETE' THEN RETURN NULL; END IF;
        INSERT INTO nebbet.case_person (case_, contact)
            SELECT DISTINCT NEW.id, left(found.who, 64)
            FROM (SELECT NEW.data::jsonb->>'contact' AS who
                  UNION SELECT jsonb_array_elements_text(CASE
                      WHEN jsonb_typeof(NEW.data::jsonb->'people') = 'array'
                      THEN NEW.data::jsonb->'people' ELSE '[]' END)) AS found
            WHERE found.who <> '';
        RETURN NULL;
    END $$""",
    "CREATE OR REPLACE TRIGGER case__people AFTER INSERT OR UPDATE OF data OR DELETE "
    "ON nebbet.case_ FOR EACH ROW EXECUTE FUNCTION nebbet.nebbet_people_of_case()",
    "REVOKE ALL ON FUNCTION nebbet.nebbet_people_of_case() FROM PUBLIC",
)


def _fill(connection: sa.Connection, table: sa.Table, kind: type[Contact] | type[Case]) -> None:
    """Give every record what it is found by, in portions; what nobody can read has nothing."""
    last = ""
    while True:
        some = sa.select(table.c.id, table.c.data).where(table.c.id > last)
        rows = connection.execute(some.order_by(table.c.id).limit(_AT_ONCE)).all()
        if not rows:
            return
        last = rows[-1].id
        read = [record for row in rows if (record := _read(row.data, kind))]
        if not read:
            continue
        made: list[dict[str, Any]] = [{"at": one.id} | columns(one) for one in read]
        values = {name: sa.bindparam(name) for name in made[0] if name != "at"}
        change = sa.update(table).where(table.c.id == sa.bindparam("at")).values(values)
        connection.execute(change, made)
        note_fields(connection, (found for one in read for found in fields_of(one)))
        people = [row for one in read if isinstance(one, Case) for row in people_of(one)]
        if people:
            connection.execute(sa.insert(schema.case_person), people)


def _read(data: str, kind: type[Contact] | type[Case]) -> Contact | Case | None:
    try:
        return msgspec.json.decode(data, type=kind)
    except UNREADABLE:
        return None

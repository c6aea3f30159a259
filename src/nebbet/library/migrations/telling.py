"""Tables whose changes windows hear of, made in a migration."""

from collections.abc import Iterable

from alembic import op
from sqlalchemy import Table


def make_telling(tables: Iterable[Table]) -> None:
    """Make tables, with what notes each of their changes in the log."""
    connection = op.get_bind()
    for table in tables:
        table.create(connection, checkfirst=True)
        name = table.name
        if connection.dialect.name == "postgresql":
            op.execute(
                f"CREATE OR REPLACE TRIGGER {name}_tells AFTER INSERT OR UPDATE OR DELETE "
                f"ON {name} FOR EACH STATEMENT EXECUTE FUNCTION nebbet_tell()"
            )
            op.execute(
                f"CREATE OR REPLACE TRIGGER {name}_logs AFTER INSERT OR UPDATE OR DELETE "
                f"ON {name} FOR EACH ROW EXECUTE FUNCTION nebbet_logs('id')"
            )
            continue
        for act, row in (("INSERT", "NEW"), ("UPDATE", "NEW"), ("DELETE", "OLD")):
            entry = f"INSERT INTO change (kind, key) VALUES ('{name}', {row}.id)"
            logs = f"{name}_logs_{act.lower()} AFTER {act} ON {name}"
            op.execute(f"CREATE TRIGGER IF NOT EXISTS {logs} BEGIN {entry}; END")

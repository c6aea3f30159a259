"""Rounds that are held and released, rounds kept under a name, letters that a change of a case asks
for."""

from alembic import op

from nebbet.library import schema

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

_TABLES = (schema.round_release, schema.kept_round, schema.prompted)


def upgrade() -> None:
    connection = op.get_bind()
    for table in _TABLES:
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

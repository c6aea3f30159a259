"""What colleagues noticed of messages: letters that came back, arrived ones that somebody has, and
what was answered with which template."""

from alembic import op

from nebbet.library import schema

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    connection = op.get_bind()
    schema.remark.create(connection, checkfirst=True)
    if connection.dialect.name == "postgresql":
        op.execute(
            "CREATE OR REPLACE TRIGGER remark_tells AFTER INSERT OR DELETE "
            "ON remark FOR EACH STATEMENT EXECUTE FUNCTION nebbet_tell()"
        )
        op.execute(
            "CREATE OR REPLACE TRIGGER remark_logs AFTER INSERT OR DELETE "
            "ON remark FOR EACH ROW EXECUTE FUNCTION nebbet_logs('id')"
        )
        op.execute("ALTER TABLE remark DROP CONSTRAINT IF EXISTS remark_data_is_json")
        op.execute(
            "ALTER TABLE remark ADD CONSTRAINT remark_data_is_json CHECK (nebbet_is_json(data))"
        )
        return
    for act, row in (("INSERT", "NEW"), ("DELETE", "OLD")):
        entry = f"INSERT INTO change (kind, key) VALUES ('remark', {row}.id)"
        logs = f"remark_logs_{act.lower()} AFTER {act} ON remark"
        op.execute(f"CREATE TRIGGER IF NOT EXISTS {logs} BEGIN {entry}; END")

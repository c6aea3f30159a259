"""A log of what changes, so that whoever follows the library reads only that again."""

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

_KEYS = {"setting": "name", "member": "id", "shelf": "id", "template": "id", "file": "sha256",
         "passage": "id", "frame": "id", "fact": "name", "contact": "id", "case_": "id",
         "register": "message_id", "proposal": "id"}  # fmt: skip
_KEPT = 20_000  # entries; whoever has followed none of them reads everything


def upgrade() -> None:
    if op.get_bind().dialect.name == "postgresql":
        for statement in _FOR_POSTGRESQL:
            op.execute(statement)
        return
    op.execute(
        "CREATE TABLE IF NOT EXISTS change (number INTEGER PRIMARY KEY AUTOINCREMENT, "
        "kind VARCHAR(16) NOT NULL, key VARCHAR(255) NOT NULL)"
    )
    for table, key in _KEYS.items():
        for act, row in (("INSERT", "NEW"), ("UPDATE", "NEW"), ("DELETE", "OLD")):
            logs = f"{table}_logs_{act.lower()} AFTER {act} ON {table}"
            entry = f"INSERT INTO change (kind, key) VALUES ('{table}', {row}.{key})"
            op.execute(f"CREATE TRIGGER IF NOT EXISTS {logs} BEGIN {entry}; END")
    op.execute(
        "CREATE TRIGGER IF NOT EXISTS change_forgets AFTER INSERT ON change "
        "WHEN NEW.number % 1000 = 0 "
        f"BEGIN DELETE FROM change WHERE number <= NEW.number - {_KEPT}; END"
    )


# A transaction may be seen later than one that began after it: an entry is found by the transaction
# that made it, not by its number.
_FOR_POSTGRESQL = (
    "CREATE TABLE IF NOT EXISTS nebbet.change "
    "(number bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, "
    "kind varchar(16) NOT NULL, key varchar(255) NOT NULL, "
    "made xid8 NOT NULL DEFAULT pg_current_xact_id())",
    "CREATE INDEX IF NOT EXISTS change_made ON nebbet.change (made)",
    f"""CREATE OR REPLACE FUNCTION nebbet.nebbet_logs() RETURNS trigger LANGUAGE plpgsql
    SECURITY DEFINER SET search_path = pg_catalog, nebbet, pg_temp AS $$
    DECLARE
        at record;
        key text;
        held bigint;
    BEGIN
        IF TG_OP = 'DELETE' THEN at := OLD; ELSE at := NEW; END IF;
        IF TG_ARGV[0] = 'id' THEN key := at.id;
        ELSIF TG_ARGV[0] = 'name' THEN key := at.name;
        ELSIF TG_ARGV[0] = 'sha256' THEN key := at.sha256;
        ELSE key := at.message_id;
        END IF;
        INSERT INTO nebbet.change (kind, key) VALUES (TG_TABLE_NAME, key)
            RETURNING number INTO held;
        IF held % 1000 = 0 THEN
            DELETE FROM nebbet.change WHERE number <= held - {_KEPT};
        END IF;
        RETURN NULL;
    END $$""".replace(":=", "\\:="),
    *(
        f"CREATE OR REPLACE TRIGGER {table}_logs "
        f"AFTER INSERT OR UPDATE OR DELETE ON nebbet.{table} "
        f"FOR EACH ROW EXECUTE FUNCTION nebbet.nebbet_logs('{key}')"
        for table, key in _KEYS.items()
    ),
)

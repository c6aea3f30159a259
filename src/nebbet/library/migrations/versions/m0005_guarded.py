"""Values that are none are refused by the server itself: JSON, moments, files and their SHA-256."""

from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

_DOCUMENTS = {"member": "id", "contact": "id", "case_": "id", "passage": "id", "fact": "name"}
_JSON = [*((table, "data") for table in (*_DOCUMENTS, "frame", "former")), ("setting", "value"),
         ("edition", "content"), ("proposal", "content")]  # fmt: skip
_MOMENTS = [("edition", "made"), ("proposal", "made"), ("proposal", "decided"), ("former", "made"),
            ("presence", "seen"), ("register", "sent")]  # fmt: skip


def upgrade() -> None:
    if op.get_bind().dialect.name != "postgresql":
        return  # in a file, whoever may write may write anything: reading passes it over
    op.execute(_IS_JSON)
    for table in ("edition", "former"):
        op.execute(f"ALTER TABLE {table} DISABLE TRIGGER USER")
    for table, column in _MOMENTS:
        finite = f"{column} BETWEEN '1970-01-01' AND '9000-01-01'"
        op.execute(f"UPDATE {table} SET {column} = now() WHERE NOT ({finite})")
        _demand(table, f"{column}_is_one", finite)
    for table in ("edition", "former"):
        op.execute(f"ALTER TABLE {table} ENABLE TRIGGER USER")
    # What is none by now is passed over in reading; the server takes no more of it.
    for table, column in _JSON:
        _demand(table, f"{column}_is_json", f"nebbet_is_json({column})")
    for table, key in _DOCUMENTS.items():
        _demand(table, "is_itself", f"nebbet_says(data, '{key}') = {key}")
    content = "sha256 = encode(sha256(data), 'hex') AND size = octet_length(data)"
    _demand("file", "is_itself", content)
    _demand("template", "state_is_one", "state IN ('draft', 'in use', 'retired')")
    states = "'waiting', 'accepted', 'declined', 'withdrawn'"
    _demand("proposal", "state_is_one", f"state IN ({states})")
    op.execute(
        "CREATE OR REPLACE TRIGGER presence_left AFTER UPDATE ON presence FOR EACH ROW "
        "WHEN (NEW.seen < OLD.seen) EXECUTE FUNCTION nebbet_tell()"
    )


def _demand(table: str, name: str, check: str) -> None:
    """Demand something of every row that is written from now on."""
    op.execute(f"ALTER TABLE {table} DROP CONSTRAINT IF EXISTS {table}_{name}")
    op.execute(f"ALTER TABLE {table} ADD CONSTRAINT {table}_{name} CHECK ({check}) NOT VALID")


# A cast raises where a text is no JSON; these say no, or nothing.
_IS_JSON = """
CREATE OR REPLACE FUNCTION nebbet_is_json(said text) RETURNS boolean LANGUAGE plpgsql IMMUTABLE
SET search_path = pg_catalog AS $$
BEGIN
    RETURN said::jsonb IS NOT NULL AND length(said) < 20000000;
EXCEPTION WHEN OTHERS THEN
    RETURN false;
END $$;
CREATE OR REPLACE FUNCTION nebbet_says(said text, name text) RETURNS text LANGUAGE plpgsql IMMUTABLE
SET search_path = pg_catalog AS $$
BEGIN
    RETURN coalesce(said::jsonb->>name, '');
EXCEPTION WHEN OTHERS THEN
    RETURN '';
END $$
"""

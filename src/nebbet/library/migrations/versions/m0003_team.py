"""A team at one library: logins, proposals, and on PostgreSQL word of every change."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("member", sa.Column("login", sa.String(64)))
    op.create_index("member_login", "member", ["login"], unique=True)
    op.create_table(
        "proposal",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("template", sa.String(64), nullable=False),
        sa.Column("base", sa.Integer, nullable=False),
        sa.Column("shelf", sa.String(64), sa.ForeignKey("shelf.id"), nullable=False),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("content", sa.Text, nullable=False),
        sa.Column("author", sa.String(64), sa.ForeignKey("member.id"), nullable=False),
        sa.Column("made", sa.DateTime(timezone=True), nullable=False),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("answer", sa.Text, nullable=False),
        sa.Column("decider", sa.String(64), sa.ForeignKey("member.id")),
        sa.Column("decided", sa.DateTime(timezone=True)),
    )
    op.create_index("proposal_state", "proposal", ["state"])
    if op.get_bind().dialect.name == "postgresql":
        for statement in _FOR_POSTGRESQL:
            op.execute(statement)


_TELLING = ("setting", "member", "shelf", "template", "file", "passage", "frame", "fact", "contact",
            "case_", "register", "proposal")  # fmt: skip
_FOR_POSTGRESQL = (
    "CREATE FUNCTION nebbet_edition_stays() RETURNS trigger LANGUAGE plpgsql AS "
    "$$ BEGIN RAISE EXCEPTION 'an edition never changes'; END $$",
    "CREATE TRIGGER edition_stays BEFORE UPDATE OR DELETE ON edition "
    "FOR EACH ROW EXECUTE FUNCTION nebbet_edition_stays()",
    "CREATE FUNCTION nebbet_tell() RETURNS trigger LANGUAGE plpgsql AS "
    "$$ BEGIN PERFORM pg_notify('nebbet', TG_TABLE_NAME); RETURN NULL; END $$",
    *(
        f"CREATE TRIGGER {table}_tells AFTER INSERT OR UPDATE OR DELETE ON {table} "
        "FOR EACH STATEMENT EXECUTE FUNCTION nebbet_tell()"
        for table in _TELLING
    ),
)

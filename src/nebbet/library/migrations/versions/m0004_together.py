"""Where a template was copied from, former states of facts, passages and frames, and who edits."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    origin = sa.Column("origin", sa.String(64), nullable=False, server_default="")
    op.add_column("template", origin)
    number = sa.Column("origin_edition", sa.Integer, nullable=False, server_default="0")
    op.add_column("template", number)
    op.create_table(
        "former",
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("data", sa.Text, nullable=False),
        sa.Column("author", sa.String(64), sa.ForeignKey("member.id")),
        sa.Column("made", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("kind", "key", "number"),
    )
    op.create_table(
        "presence",
        sa.Column("template", sa.String(64), nullable=False),
        sa.Column("member", sa.String(64), sa.ForeignKey("member.id"), nullable=False),
        sa.Column("seen", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("template", "member"),
    )
    if op.get_bind().dialect.name == "postgresql":
        op.execute(
            "CREATE TRIGGER former_stays BEFORE UPDATE OR DELETE ON former "
            "FOR EACH ROW EXECUTE FUNCTION nebbet_edition_stays()"
        )
        # Not on UPDATE: that is only another sign of life.
        op.execute(
            "CREATE TRIGGER presence_tells AFTER INSERT OR DELETE ON presence "
            "FOR EACH STATEMENT EXECUTE FUNCTION nebbet_tell()"
        )

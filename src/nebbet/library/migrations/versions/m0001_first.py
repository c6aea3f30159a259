"""The first library: shelves, templates, editions, records, facts, frames, files, register."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    _make_templates()
    _make_the_rest()


def _make_templates() -> None:
    op.create_table(
        "setting",
        sa.Column("name", sa.String(64), primary_key=True),
        sa.Column("value", sa.Text, nullable=False),
    )
    op.create_table("member", *_document("id"))
    op.create_table(
        "shelf",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("parent", sa.String(64), sa.ForeignKey("shelf.id")),
        sa.Column("owner", sa.String(64), sa.ForeignKey("member.id")),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
    )
    op.create_table(
        "template",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("shelf", sa.String(64), sa.ForeignKey("shelf.id"), nullable=False),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("pinned", sa.Boolean, nullable=False),
        sa.Column("edition", sa.Integer, nullable=False),
    )
    op.create_table(
        "edition",
        sa.Column("template", sa.String(64), sa.ForeignKey("template.id"), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("content", sa.Text, nullable=False),
        sa.Column("author", sa.String(64), sa.ForeignKey("member.id")),
        sa.Column("made", sa.DateTime(timezone=True), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.PrimaryKeyConstraint("template", "number"),
    )


def _make_the_rest() -> None:
    op.create_table(
        "file",
        sa.Column("sha256", sa.String(64), primary_key=True),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("media_type", sa.String(127), nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.create_table("frame", *_document("id"))
    op.create_table("fact", *_document("name"))
    op.create_table("contact", *_document("id"))
    op.create_table("case_", *_document("id"))
    _create_register()
    if op.get_bind().dialect.name == "sqlite":
        for act in ("UPDATE", "DELETE"):
            op.execute(
                f"CREATE TRIGGER edition_no_{act.lower()} BEFORE {act} ON edition "
                "BEGIN SELECT RAISE(ABORT, 'an edition never changes'); END"
            )


def _document(key: str) -> tuple[sa.Column, sa.Column]:
    return (
        sa.Column(key, sa.String(64), primary_key=True),
        sa.Column("data", sa.Text, nullable=False),
    )


def _create_register() -> None:
    op.create_table(
        "register",
        sa.Column("message_id", sa.String(255), primary_key=True),
        sa.Column("sent", sa.DateTime(timezone=True), nullable=False),
        sa.Column("sender", sa.String(64), nullable=False),
        sa.Column("contact", sa.String(64), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("address", sa.String(320), nullable=False),
        sa.Column("case_number", sa.String(64), nullable=False),
        sa.Column("template", sa.String(64), nullable=False),
        sa.Column("edition", sa.Integer, nullable=False),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("subject", sa.Text, nullable=False),
    )
    op.create_index("register_sent", "register", ["sent"])
    op.create_index("register_template", "register", ["template"])

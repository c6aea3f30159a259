"""Passages, and files that are valid until a day."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "passage",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("data", sa.Text, nullable=False),
    )
    op.add_column("file", sa.Column("valid_until", sa.Date))

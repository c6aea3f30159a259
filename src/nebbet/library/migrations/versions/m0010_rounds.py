"""Rounds: what each is made of, and which of its rows went as which message."""

from nebbet.library import schema
from nebbet.library.migrations.telling import make_telling

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    make_telling((schema.round_, schema.round_row))

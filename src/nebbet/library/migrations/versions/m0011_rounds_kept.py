"""Rounds that are held and released, rounds kept under a name, letters that a change of a case asks
for."""

from nebbet.library import schema
from nebbet.library.migrations.telling import make_telling

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    make_telling((schema.round_release, schema.kept_round, schema.prompted))

"""The demo's people; all that is needed to start its mail service."""

import tomllib
from importlib.resources import files
from typing import Any

import msgspec

from nebbet.core.records import Member

CLAIMS = "Lisle Sound Ferries Claims <claims@lislesound.example>"  # a mailbox of the whole team
CLAIMS_USER = "claims@lislesound.example"
PASSENGERS = "Passengers"  # the folder with a table for a round
SEASON_TICKETS = "Season tickets.csv"  # a table that another program of the company keeps


def read_team() -> dict[str, Any]:
    """The team's own file, as it is written."""
    return tomllib.loads((files("nebbet.standin") / "world" / "team.toml").read_text("utf-8"))


def read_members() -> tuple[Member, ...]:
    """The members; each has the address that the id makes."""
    team = read_team()
    named = [{"email": f"{raw['id']}@{team['domain']}", **raw} for raw in team["members"]]
    return msgspec.convert(tuple(named), tuple[Member, ...])

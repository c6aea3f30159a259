"""What a lead allows in rounds: how many rows, who starts one, what another one looks at."""

from msgspec import Struct

from nebbet.core.sentences import said


class RoundRules(Struct, frozen=True, omit_defaults=True):
    """most is how many rows a round may have (0: any number), leads_only says that leads alone
    start one, looked_at from how many rows on somebody else looks at a round before it goes (0:
    never)."""

    most: int = 0
    leads_only: bool = False
    looked_at: int = 0

    def against(self, rows: int, *, leads: bool) -> str:
        """Why a round of so many rows may not be started, as a sentence; empty where it may."""
        if self.leads_only and not leads:
            return said("Only a lead starts rounds here.")
        if self.most and rows > self.most:
            return said(
                "A round has at most {most} rows here, and this one has {rows}: choose fewer.",
                most=self.most, rows=rows,
            )  # fmt: skip
        return ""

    def asks(self, rows: int) -> bool:
        """Whether somebody else is to look at a round of so many rows before it goes."""
        return bool(self.looked_at) and rows >= self.looked_at

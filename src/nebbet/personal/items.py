"""What lies in the outbox."""

from typing import Literal

from msgspec import Struct

from nebbet.core.letter import Letter
from nebbet.core.message.outgoing import Outgoing
from nebbet.library.entries import Registered

# held: may still be taken back. waiting: tried, and will be tried again. sending: on the line.
# refused: needs a person. uncertain: may have gone, needs a person. sent: accepted by the
# server, its copy or its register entry still to be made. gone: all done.
State = Literal["held", "waiting", "sending", "refused", "uncertain", "sent", "gone"]
WAITING: tuple[State, ...] = ("held", "waiting", "sending", "refused", "uncertain", "sent")
# When a letter is due that waits for somebody's word: never by itself. Seconds since 1970.
UNTIL_RELEASED = 250_000_000_000.0
RETURNABLE: tuple[State, ...] = ("held", "waiting", "refused")


class Item(Struct, frozen=True):
    """A letter on its way: the letter to go back to, the finished message, the register entry.

    round is that of which it is a row, with the row's key; both are empty for any other letter.
    remembered are the answers from last time that it was worked out with, acknowledged the keys of
    the doubts that somebody took for good.
    """

    id: str
    letter: Letter
    outgoing: Outgoing
    entry: Registered
    remembered: dict[str, str] = {}
    acknowledged: tuple[str, ...] = ()
    round: str = ""
    row: str = ""


class Queued(Struct, frozen=True):
    """An item with where it stands. due is in seconds since 1970."""

    item: Item
    state: State
    due: float
    attempts: int = 0
    words: str = ""

    @property
    def waits_for_release(self) -> bool:
        """Whether it goes only when its round is released."""
        return self.state == "held" and self.due >= UNTIL_RELEASED

"""A message in a folder of a mailbox, by what its headers say."""

from msgspec import Struct

from nebbet.core.message.answering import Arrived

SEEN, ANSWERED, FLAGGED = "\\Seen", "\\Answered", "\\Flagged"
MINE = "$NebbetMine-"  # a keyword that says whose a message is, with their id behind it


class Place(Struct, frozen=True, order=True):
    """Where a message lies: whose mailbox, which folder, its number there (RFC 9051 §2.3.1.1)."""

    account: str
    folder: str
    uid: int

    @property
    def key(self) -> str:
        """The place in one word."""
        return f"{self.account}\n{self.folder}\n{self.uid}"


class Head(Struct, frozen=True):
    """What the list of arrived messages shows: the fields, when it came (seconds since 1970), its
    bytes, its flags, whether it carries files, and whether it reports on a letter (RFC 3464)."""

    place: Place
    fields: Arrived
    came: float
    size: int = 0
    flags: tuple[str, ...] = ()
    has_files: bool = False
    is_report: bool = False

    @property
    def key(self) -> str:
        """The place in one word."""
        return self.place.key

    @property
    def is_read(self) -> bool:
        """Whether somebody has read it."""
        return SEEN in self.flags

    @property
    def is_answered(self) -> bool:
        """Whether somebody has answered it."""
        return ANSWERED in self.flags

    @property
    def whose(self) -> str:
        """The id of the member who has it, empty for nobody."""
        return next((one[len(MINE) :] for one in self.flags if one.startswith(MINE)), "")

    @property
    def ids(self) -> tuple[str, ...]:
        """Every Message-ID that it has or hangs on."""
        return (*filter(None, (self.fields.message_id,)), *self.fields.references)

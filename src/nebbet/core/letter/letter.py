"""A letter as a value: what it holds, and keeping it as JSON."""

from collections.abc import Iterator

import msgspec
from msgspec import Struct, field

from nebbet.core import body, inline
from nebbet.core.body import Body
from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.inline import Line, Slot
from nebbet.core.letter.content import ADDRESS_LINES
from nebbet.core.placeholders import Placeholder
from nebbet.core.records import Case, Contact


class Attachment(Struct, frozen=True, omit_defaults=True):
    """A file the letter carries: SHA-256, its name in the message, media type, bytes.

    when is the condition under which it goes along. out says that it stays behind: that the
    condition does not hold here, or, without one, that the writer left it out.
    """

    file: str
    name: Line
    media_type: str = "application/octet-stream"
    size: int = 0
    when: str = ""
    out: bool = False


class Letter(Struct, frozen=True, omit_defaults=True):
    """One message being completed for one person.

    Every occurrence of a placeholder stays a slot, however often the values change; what a person
    rewords by hand is ordinary text. answers maps folded names to what a person typed. undecided
    holds the conditions that cannot be told yet, with the reason; what hangs on them stays in.
    mailbox is the team mailbox it comes from, empty for the sender's own address; to holds
    recipients beside the person it is written to. members holds how many members each list had
    over which something is repeated. answers_to is the Message-ID of the message that it answers,
    thread those of the messages that this one hangs on, the oldest first, and quoted what of it
    stands under the text.
    """

    id: str
    template: str = ""
    edition: int = 0
    title: str = ""
    language: str = "en_GB"
    subject: Line = ()
    body: Body = ()
    cc: Line = ()
    bcc: Line = ()
    reply_to: Line = ()
    mailbox: Line = ()
    to: Line = ()
    attachments: tuple[Attachment, ...] = ()
    placeholders: tuple[Placeholder, ...] = ()
    frame: str = ""
    recipient: Contact | None = None
    case: Case | None = None
    answers: dict[str, str] = field(default_factory=dict)
    calendar: str = ""
    undecided: dict[str, str] = field(default_factory=dict)
    members: dict[str, int] = field(default_factory=dict)
    answers_to: str = ""
    thread: tuple[str, ...] = ()
    quoted: Body = ()

    @property
    def whole(self) -> Body:
        """All that its message says: the text, and what is quoted under it."""
        return (*self.body, *self.quoted)

    @property
    def attached(self) -> tuple[Attachment, ...]:
        """The attachments that go along: all but those whose condition does not hold."""
        return tuple(a for a in self.attachments if not a.out)


LINES = ("subject", *ADDRESS_LINES)


def slots(letter: Letter) -> Iterator[Slot]:
    """Every place of a placeholder in what stands of a letter, in order."""
    yield from inline.slots(letter.subject)
    yield from body.slots(letter.body)
    for part in ADDRESS_LINES:
        yield from inline.slots(getattr(letter, part))
    for attachment in letter.attached:
        yield from inline.slots(attachment.name)


def names(letter: Letter) -> list[str]:
    """Every placeholder name that a letter uses, in order, with repeats."""
    return [slot.name for slot in slots(letter)]


def conditions(letter: Letter) -> list[str]:
    """The conditions that parts of a letter hang on, once each."""
    attached = [a.when for a in letter.attachments if a.when]
    return list(dict.fromkeys([*body.conditions(letter.body), *attached]))


def written(letter: Letter) -> bool:
    """Whether a letter holds anything a person would miss."""
    return bool(letter.subject or letter.body or letter.attached or letter.recipient)


def to_json(letter: Letter) -> bytes:
    """Keep a letter as JSON, with what is filled in, so that it shows at once when reopened."""
    return msgspec.json.encode(letter)


def from_json(data: bytes) -> Letter:
    """Read a letter back. Raises NebbetError when it is not one."""
    try:
        return msgspec.json.decode(data, type=Letter)
    except UNREADABLE:
        raise NebbetError(
            "A kept letter cannot be read", kept="It stays in your folder as it is"
        ) from None

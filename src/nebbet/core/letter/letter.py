"""Starting a letter from an edition, completing it, and keeping it as JSON."""

from collections.abc import Callable, Iterable, Iterator

import msgspec
from msgspec import Struct, field
from msgspec.structs import replace

from nebbet.core import body, dates, inline
from nebbet.core.body import Body
from nebbet.core.characters import whole
from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.inline import Line, Slot
from nebbet.core.letter.content import ADDRESS_LINES, Content, Enclosure, text_for
from nebbet.core.placeholders import (
    Particular,
    Placeholder,
    Resolution,
    World,
    member_of,
    members,
    modifiers,
    text_in,
)
from nebbet.core.records import Case, Contact, fold


class Attachment(Struct, frozen=True, omit_defaults=True):
    """A file the letter carries: SHA-256, its name in the message, media type, bytes.

    when is the condition under which it goes along, out says that it does not hold here.
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
    over which something is repeated.
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

    @property
    def attached(self) -> tuple[Attachment, ...]:
        """The attachments that go along: all but those whose condition does not hold."""
        return tuple(a for a in self.attachments if not a.out)


LINES = ("subject", *ADDRESS_LINES)


def start(
    letter_id: str,
    content: Content,
    *,
    template: str = "",
    edition: int = 0,
    title: str = "",
    recipient: Contact | None = None,
    case: Case | None = None,
    language: str = "",
) -> Letter:
    """Take a template: a letter with its text in the recipient's language and nothing filled."""
    code, texts = text_for(content, language or (recipient.language if recipient else ""))
    made = {part: _conditional(content, part) for part in ("to", "cc", "bcc")}
    lines = {
        part: _copies(getattr(content.copies, part), made.get(part, [])) for part in ADDRESS_LINES
    }
    return Letter(
        id=letter_id,
        template=template,
        edition=edition,
        title=title,
        language=code,
        subject=inline.parse(texts.subject),
        body=texts.blocks,
        **lines,  # type: ignore[arg-type]
        attachments=tuple(attachment_for(enclosure) for enclosure in content.enclosures),
        placeholders=(*content.placeholders, *(p for held in made.values() for p in held)),
        frame=content.frame,
        calendar=content.calendar,
        recipient=recipient,
        case=case,
    )


def _conditional(content: Content, part: str) -> list[Placeholder]:
    """A placeholder for each address that is copied under a condition: it is empty without."""
    found = [copy for copy in content.copies.conditional if copy.part == part]
    return [
        Placeholder(
            f"{part} {number}",
            f"{part.capitalize()} only if {copy.when}",
            source="copy",
            of=copy.address,
            when=copy.when,
        )
        for number, copy in enumerate(found, 1)
    ]


def _copies(always: str, conditional: list[Placeholder]) -> Line:
    line = list(inline.parse(always))
    for placeholder in conditional:
        line += [", ", Slot(placeholder.name)] if line else [Slot(placeholder.name)]
    return tuple(line)


def attachment_for(enclosure: Enclosure) -> Attachment:
    """The attachment that a library file becomes."""
    name = inline.parse(enclosure.name)
    return Attachment(
        enclosure.file, name, enclosure.media_type, enclosure.size, when=enclosure.when
    )


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


def by_place(letter: Letter, particulars: Iterable[Particular]) -> dict[str, Particular]:
    """The particulars by what their places are kept by: the folded name and, in a part that is
    repeated, the number of the member. What a person typed in such a place stands there alone."""
    known = {fold(p.name): p for p in particulars}
    for slot in slots(letter):
        whole = known.get(fold(slot.name)) if slot.item else None
        if whole is not None and fold(slot.key) not in known:
            typed = letter.answers.get(fold(slot.key))
            found = member_of(whole, slot.item, letter.language)
            if typed is not None:
                found = replace(found, text=typed or None, value=typed or None, answer=typed)
            known[fold(slot.key)] = found
    return known


def complete(letter: Letter, particulars: Iterable[Particular]) -> Letter:
    """Fill every occurrence of every placeholder: subject, body, copies, attachment names.

    A place whose modifier does not fit its value stays blank; the checks say why.
    """
    known = by_place(letter, particulars)

    def text(slot: Slot) -> str | None:
        found = known.get(fold(slot.key))
        if found is None:
            return None
        try:
            return text_in(found, slot.modifiers, letter.language)
        except NebbetError:
            return None

    return replace(
        letter,
        body=body.completed(letter.body, text),
        attachments=tuple(
            replace(a, name=inline.completed(a.name, text)) for a in letter.attachments
        ),
        **{part: inline.completed(getattr(letter, part), text) for part in LINES},
    )


def work_out(letter: Letter, world: World) -> tuple[Letter, tuple[Particular, ...]]:
    """Decide what belongs to a letter, resolve every value that this asks for, and fill them in:
    the letter and its values."""
    resolution = Resolution(letter.placeholders, world, letter.answers, _excused(letter))
    decisions = {when: resolution.holds(when) for when in conditions(letter)}
    out = {when for when, decision in decisions.items() if decision.holds is False}
    decided = replace(
        letter,
        body=body.decided(letter.body, lambda when: when not in out),
        attachments=tuple(
            replace(a, out=a.when in out) if a.when else a for a in letter.attachments
        ),
        undecided={when: d.note for when, d in decisions.items() if d.holds is None},
    )
    repeated = _repeated(decided, resolution)
    particulars = resolution.particulars([*names(repeated), *repeated.members])
    return complete(repeated, particulars), particulars


def _repeated(letter: Letter, resolution: Resolution) -> Letter:
    """Let what is repeated stand once for each member of its list."""
    lists = body.lists_of(letter.body)
    if not lists:
        return letter
    counts = {each: members(resolution.particular(each)) for each in lists}
    made = body.repeated(letter.body, counts.__getitem__, letter.members)
    return replace(letter, body=made, members=counts)


def _excused(letter: Letter) -> set[str]:
    """The folded names whose every place has its own words for a missing value."""
    needed: set[str] = set()
    excused: set[str] = set()
    whole = replace(letter, body=body.decided(letter.body, lambda _: True))
    for slot in slots(whole):
        (excused if _has_else(slot.modifiers) else needed).add(fold(slot.name))
    return excused - needed


def _has_else(written: str) -> bool:
    try:
        return modifiers.read(written).instead is not None
    except NebbetError:
        return False


def keep_part(letter: Letter, when: str, *, keep: bool) -> Letter:
    """Do away with a condition: keep what hangs on it for good, or drop it."""
    return replace(
        letter,
        body=body.unconditional(letter.body, when, keep=keep),
        attachments=tuple(
            replace(a, when="", out=False) if a.when == when else a
            for a in letter.attachments
            if keep or a.when != when
        ),
    )


def counts_from_sending(letter: Letter) -> bool:
    """Whether a date in a letter counts from the day on which it is sent."""
    rules = (p.of for p in letter.placeholders if p.source == "date")
    return any(_is_from_sending(rule) for rule in rules)


def _is_from_sending(rule: str) -> bool:
    try:
        return dates.read(rule).base.kind == "sending"
    except NebbetError:
        return False


def answer(letter: Letter, name: str, text: str | None) -> Letter:
    """Put a person's own text in the place of a value; "" takes the value out, None puts the
    worked-out one back."""
    answers = dict(letter.answers)
    answers.pop(fold(name), None)
    if text is not None:
        answers[fold(name)] = whole(text)
    return replace(letter, answers=answers)


def in_language(letter: Letter, content: Content, language: str) -> Letter | None:
    """The same letter with the template's text in another language.

    None when the edition has no other text for it, or when a person has changed the text: that
    is never thrown away.
    """
    code, texts = text_for(content, language)
    _, current = text_for(content, letter.language)
    untouched = inline.source(letter.subject) == inline.source(
        inline.parse(current.subject)
    ) and body.write(body.collapsed(letter.body)) == body.write(current.blocks)
    if code == letter.language or not untouched:
        return None
    return replace(
        letter,
        language=code,
        subject=inline.parse(texts.subject),
        body=texts.blocks,
        members={},
    )


def rename(letter: Letter, wrong: str, right: str) -> Letter:
    """Let every occurrence of one placeholder name another one."""
    key = fold(wrong)
    return _every_line(
        letter, lambda line: inline.renamed(line, lambda name: fold(name) == key, right)
    )


def reworded(letter: Letter, wrong: str, right: str) -> Letter:
    """Put other words in the place of some wherever they stand in a letter's plain text."""

    def swap(line: Line) -> Line:
        return tuple(
            piece
            for part in line
            for piece in (
                inline.parse(part.replace(wrong, right)) if isinstance(part, str) else (part,)
            )
        )

    return _every_line(letter, swap)


def _every_line(letter: Letter, swap: Callable[[Line], Line]) -> Letter:
    """A letter with every line of text as swap makes it."""

    return replace(
        letter,
        body=body.each_line(letter.body, swap),
        attachments=tuple(replace(a, name=swap(a.name)) for a in letter.attachments),
        **{part: swap(getattr(letter, part)) for part in LINES},
    )


def written(letter: Letter) -> bool:
    """Whether a letter holds anything a person would miss."""
    return bool(letter.subject or letter.body or letter.attachments or letter.recipient)


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

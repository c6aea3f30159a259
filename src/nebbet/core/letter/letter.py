"""Starting a letter from an edition, completing it, and keeping it as JSON."""

from collections.abc import Iterable

import msgspec
from msgspec import Struct, field
from msgspec.structs import replace

from nebbet.core import body, inline
from nebbet.core.body import Body
from nebbet.core.errors import NebbetError
from nebbet.core.inline import Line, Slot
from nebbet.core.letter.content import Content, Enclosure, text_for
from nebbet.core.placeholders import Particular, Placeholder, World, resolve
from nebbet.core.records import Case, Contact, fold


class Attachment(Struct, frozen=True, omit_defaults=True):
    """A file the letter carries: SHA-256, its name in the message, media type, bytes."""

    file: str
    name: Line
    media_type: str = "application/octet-stream"
    size: int = 0


class Letter(Struct, frozen=True, omit_defaults=True):
    """One message being completed for one person.

    Every occurrence of a placeholder stays a slot, however often the values change; what a person
    rewords by hand is ordinary text. answers maps folded names to what a person typed.
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
    attachments: tuple[Attachment, ...] = ()
    placeholders: tuple[Placeholder, ...] = ()
    frame: str = ""
    recipient: Contact | None = None
    case: Case | None = None
    answers: dict[str, str] = field(default_factory=dict)


LINES = ("subject", "cc", "bcc", "reply_to")


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
    return Letter(
        id=letter_id,
        template=template,
        edition=edition,
        title=title,
        language=code,
        subject=inline.parse(texts.subject),
        body=body.read(texts.body),
        cc=inline.parse(content.copies.cc),
        bcc=inline.parse(content.copies.bcc),
        reply_to=inline.parse(content.copies.reply_to),
        attachments=tuple(attachment_for(enclosure) for enclosure in content.enclosures),
        placeholders=content.placeholders,
        frame=content.frame,
        recipient=recipient,
        case=case,
    )


def attachment_for(enclosure: Enclosure) -> Attachment:
    """The attachment that a library file becomes."""
    name = inline.parse(enclosure.name)
    return Attachment(enclosure.file, name, enclosure.media_type, enclosure.size)


def names(letter: Letter) -> list[str]:
    """Every placeholder name a letter uses, in order: subject, body, copies, attachments."""
    lines = [letter.cc, letter.bcc, letter.reply_to, *(a.name for a in letter.attachments)]
    rest = [name for line in lines for name in inline.names(line)]
    return [*inline.names(letter.subject), *body.names(letter.body), *rest]


def complete(letter: Letter, particulars: Iterable[Particular]) -> Letter:
    """Fill every occurrence of every placeholder: subject, body, copies, attachment names."""
    known = {fold(p.name): p.text for p in particulars}

    def text(name: str) -> str | None:
        return known.get(fold(name))

    return replace(
        letter,
        body=body.completed(letter.body, text),
        attachments=tuple(
            replace(a, name=inline.completed(a.name, text)) for a in letter.attachments
        ),
        **{part: inline.completed(getattr(letter, part), text) for part in LINES},
    )


def work_out(letter: Letter, world: World) -> tuple[Letter, tuple[Particular, ...]]:
    """Resolve every value that a letter asks for, and fill them in: the letter and its values."""
    particulars = resolve(names(letter), letter.placeholders, world, letter.answers)
    return complete(letter, particulars), particulars


def answer(letter: Letter, name: str, text: str | None) -> Letter:
    """Put a person's own text in the place of a value; "" takes the value out, None puts the
    worked-out one back."""
    answers = dict(letter.answers)
    answers.pop(fold(name), None)
    if text is not None:
        answers[fold(name)] = text
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
    ) and body.write(letter.body) == body.write(body.read(current.body))
    if code == letter.language or not untouched:
        return None
    return replace(
        letter,
        language=code,
        subject=inline.parse(texts.subject),
        body=body.read(texts.body),
    )


def merge_declared(
    first: Iterable[Placeholder], second: Iterable[Placeholder]
) -> tuple[Placeholder, ...]:
    """Both ledgers in one; where both declare a name, the first one's entry stays."""
    merged = {fold(p.name): p for p in second} | {fold(p.name): p for p in first}
    return tuple(merged.values())


def rename(letter: Letter, wrong: str, right: str) -> Letter:
    """Let every occurrence of one placeholder name another one."""
    key = fold(wrong)

    def swap(line: Line) -> Line:
        return tuple(
            Slot(right) if isinstance(part, Slot) and fold(part.name) == key else part
            for part in line
        )

    def swap_inline(part: body.Inline) -> body.Inline:
        match part:
            case body.Run(content=content, link=link):
                return replace(part, content=swap((content,))[0], link=swap(link))
            case body.Picture(alt=alt):
                return replace(part, alt=swap(alt))
        return part

    return replace(
        letter,
        body=tuple(
            replace(block, inlines=tuple(map(swap_inline, block.inlines))) for block in letter.body
        ),
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
    except msgspec.MsgspecError:
        raise NebbetError(
            "A kept letter cannot be read", kept="It stays in your folder as it is"
        ) from None

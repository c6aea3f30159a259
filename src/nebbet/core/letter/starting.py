"""Starting a letter from an edition, in the language of its recipient."""

from msgspec.structs import replace

from nebbet.core import body, inline
from nebbet.core.inline import Line, Slot
from nebbet.core.letter.content import ADDRESS_LINES, Content, Enclosure, text_for
from nebbet.core.letter.letter import Attachment, Letter
from nebbet.core.placeholders import Placeholder
from nebbet.core.records import Case, Contact


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


def in_language(letter: Letter, content: Content, language: str) -> Letter | None:
    """The same letter with the template's text in another language.

    None when the edition has no other text for it, or when a person has changed the text: that
    is never thrown away.
    """
    code, texts = text_for(content, language)
    _, current = text_for(content, letter.language)
    # An answer is known by its subject: that is never the template's.
    own_subject = bool(letter.thread)
    same = own_subject or inline.source(letter.subject) == inline.source(
        inline.parse(current.subject)
    )
    untouched = same and body.write(body.collapsed(letter.body)) == body.write(current.blocks)
    if code == letter.language or not untouched:
        return None
    return replace(
        letter,
        language=code,
        subject=letter.subject if own_subject else inline.parse(texts.subject),
        body=texts.blocks,
        members={},
    )

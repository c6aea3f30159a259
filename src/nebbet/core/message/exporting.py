"""A template as a file that every mail program can open, with its placeholders as written."""

import base64
from collections.abc import Callable
from datetime import datetime

from msgspec.structs import replace

from nebbet.core import body, inline
from nebbet.core import letter as letters
from nebbet.core.body import Frame, files_of, render_email
from nebbet.core.letter import Content, Letter
from nebbet.core.message.compose import compose, picture_kind
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.records import Contact, Member

NOBODY = Contact("", email="recipient@placeholder.example")
_UNKNOWN = Member("", "Sender", "", "sender@placeholder.example")


def _written(content: Content, language: str) -> Letter:
    """A letter in which every place says its name in braces, whatever it hangs on."""
    letter = letters.start("", content, recipient=NOBODY, language=language)
    declared = {p.name: p for p in letter.placeholders if p.source == "copy"}

    def text(slot: inline.Slot) -> str:
        made = declared.get(slot.name)
        return made.of if made else inline.source((slot,))

    lines = {part: inline.completed(getattr(letter, part), text) for part in letters.LINES}
    attachments = tuple(replace(a, name=inline.completed(a.name, text)) for a in letter.attachments)
    return replace(letter, body=body.completed(letter.body, text), attachments=attachments, **lines)


def as_html(content: Content, frame: Frame, files: EncodedFiles, language: str = "") -> str:
    """The template as one HTML document; its pictures are inside it."""
    letter = _written(content, language)
    sources = {}
    for file in [*files_of(letter.body), *filter(None, [frame.logo])]:
        encoded = files.base64(file)
        plain = base64.b64encode(base64.b64decode(encoded)).decode("ascii")
        sources[file] = f"data:image/{picture_kind(encoded)};base64,{plain}"
    return render_email(letter.body, frame, sources, letter.language)


def as_message(
    content: Content,
    sender: Member | None,
    frame: Frame,
    files: EncodedFiles,
    language: str = "",
    *,
    now: datetime,
    token: Callable[[], str],
) -> bytes:
    """The template as an RFC 5322 message. Addresses that hold a placeholder are left out: a header
    takes only addresses."""
    letter = _written(content, language)
    lines = {
        part: () if "{{" in inline.shown(getattr(letter, part)) else getattr(letter, part)
        for part in letters.ADDRESS_LINES
    }
    whole = replace(letter, **lines)
    author = sender or _UNKNOWN
    return compose(whole, author, now=now, token=token, frame=frame, files=files).data

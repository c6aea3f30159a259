"""The signature of whoever writes a letter: a passage that is each sender's own."""

from nebbet.core.letter.content import Texts
from nebbet.core.letter.passages import Passage
from nebbet.core.records import Member

SIGNATURE = "sender.signature"  # the id under which templates include it
# What stands there for somebody who has written none, as far as they have said it of themselves.
_LINES = ("name", "job", "phone")


def signature_of(member: Member | None) -> Passage:
    """A member's signature as templates include it, in all languages it is written in.

    >>> signature_of(None).texts["en_GB"].body.startswith("<p>{{sender.name}}")
    True
    """
    written = dict(member.signatures) if member else {}
    language = member.language if member else "en_GB"
    bodies = written or {language: _plain(member)}
    return Passage(
        SIGNATURE, "The sender's signature", {code: Texts(body=b) for code, b in bodies.items()}
    )


def _plain(member: Member | None) -> str:
    said = [name for name in _LINES if name == "name" or member is None or getattr(member, name)]
    return f"<p>{'<br>'.join(f'{{{{sender.{name}}}}}' for name in said)}</p>\n"


def with_signature(member: Member, passage: Passage) -> Member:
    """A member with the signature that a passage says; languages left empty have none."""
    from msgspec.structs import replace

    bodies = {code: text.body for code, text in passage.texts.items() if text.body.strip()}
    return replace(member, signatures=bodies)

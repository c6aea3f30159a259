"""A letter as a link that opens a prepared message (RFC 6068)."""

from nebbet.core import addresses, inline
from nebbet.core.letter import Letter
from nebbet.core.message.links import mailto


def link_of(letter: Letter, plain: str) -> str:
    """A link that opens a message like a letter, whose text it is given in plain words."""

    def specs(part: str) -> list[str]:
        found, _problems = addresses.read(addresses.shown(getattr(letter, part)))
        return [one.spec for one in found]

    own = [letter.recipient.email] if letter.recipient and letter.recipient.email else []
    return mailto(
        [*own, *specs("to")], inline.shown(letter.subject), plain, specs("cc"), specs("bcc")
    )

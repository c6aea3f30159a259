"""Whom a letter addresses beside its recipient."""

from nebbet.core import addresses, inline
from nebbet.core.letter.letter import Letter


def also_to(letter: Letter) -> tuple[str, ...]:
    """The names of those in the To row beside the recipient, empty where one is not known."""
    if not letter.to:
        return ()
    found, _problems = addresses.read(inline.shown(letter.to, lambda _name: ""))
    own = letter.recipient.email.casefold() if letter.recipient else ""
    return tuple(one.name for one in found if one.spec.casefold() != own)

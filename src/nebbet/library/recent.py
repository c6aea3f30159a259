"""What a person is likely to go on with: whom they wrote to, what is used most, what went last."""

from collections.abc import Iterable
from itertools import islice

from nebbet.library.entries import Registered
from nebbet.library.listing import Listing

MOST = 8  # rows that are read at a glance


def sent_last(entries: Iterable[Registered], member: str, most: int = MOST) -> list[Registered]:
    """The letters of a member that went last; entries come with the newest first."""
    return list(islice((entry for entry in entries if entry.sender == member), most))


def written_to(entries: Iterable[Registered], member: str, most: int = MOST) -> list[Registered]:
    """The last letter to each of the people that a member wrote to last; entries come with the
    newest first."""
    last: dict[str, Registered] = {}
    for entry in entries:
        if len(last) == most:
            break
        if entry.sender == member:
            last.setdefault(entry.address, entry)
    return list(last.values())


def most_used(listing: Listing, most: int = MOST) -> list[str]:
    """The ids of the templates in use that letters were made with most in the last weeks."""
    known = listing.catalogue.templates
    found = (key for key in listing.most if known[key].state == "in use" and known[key].edition)
    return list(islice(found, most))

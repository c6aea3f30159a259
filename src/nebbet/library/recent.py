"""What a person is likely to go on with: whom they wrote to, what is used most, what went last."""

from collections.abc import Iterable

from nebbet.library.catalogue import Catalogue
from nebbet.library.entries import Registered

MOST = 8  # rows that are read at a glance


def sent_last(entries: Iterable[Registered], member: str, most: int = MOST) -> list[Registered]:
    """The letters of a member that went last, the newest first."""
    own = (entry for entry in entries if entry.sender == member)
    return sorted(own, key=lambda entry: entry.sent, reverse=True)[:most]


def written_to(entries: Iterable[Registered], member: str, most: int = MOST) -> list[Registered]:
    """The last letter to each of the people that a member wrote to last, the newest first."""
    last: dict[str, Registered] = {}
    for entry in sorted(entries, key=lambda entry: entry.sent):
        if entry.sender == member:
            last[entry.address] = entry
    return sorted(last.values(), key=lambda entry: entry.sent, reverse=True)[:most]


def most_used(catalogue: Catalogue, most: int = MOST) -> list[str]:
    """The ids of the templates in use that letters were made with most in the last weeks."""
    uses = {
        key: sum(catalogue.usage_of(key).weeks)
        for key, template in catalogue.templates.items()
        if template.state == "in use" and template.edition
    }
    used = (key for key, count in uses.items() if count)
    return sorted(used, key=lambda key: (-uses[key], catalogue.templates[key].title))[:most]

"""What the library is found by, kept ready for every keystroke."""

import html
import re
from collections.abc import Callable, Collection, Iterable, Iterator
from datetime import datetime
from itertools import islice

from msgspec import Struct

from nebbet.core.inline import SLOT
from nebbet.core.letter import passages_in
from nebbet.core.ranking import Entry, excerpt
from nebbet.core.ranking.index import Index
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import different
from nebbet.library.fields import Fields, fields_in
from nebbet.library.holdings import Template
from nebbet.library.listing import Listing, listing_of
from nebbet.library.users import Users, users_in

_TAG = re.compile(r"<[^>]*>")
_MOST_PATCHED = 500  # templates beside the index, from which on it is made anew


class Finder(Struct, frozen=True):
    """The indexes of one catalogue, who uses what in it, its fields and its list."""

    catalogue: Catalogue
    templates: Index
    users: Users
    fields: Fields
    listing: Listing


def make_finder(
    catalogue: Catalogue,
    now: datetime,
    pinned: Collection[str] = (),
    known: Finder | None = None,
) -> Finder:
    """The indexes of a catalogue; what another finder knows already is not read again. pinned are
    the templates that somebody has pinned for themselves."""
    standing = _standings(catalogue, now, pinned)
    if known is None:
        return Finder(
            catalogue,
            Index(_entries(catalogue, catalogue.templates.values()), standing),
            users_in(catalogue),
            fields_in(catalogue),
            listing_of(catalogue, pinned),
        )
    return Finder(
        catalogue,
        _patched(known, catalogue).ranked(standing),
        users_in(catalogue, known.users),
        fields_in(catalogue),
        listing_of(catalogue, pinned),
    )


def _patched(known: Finder, catalogue: Catalogue) -> Index:
    """The index of templates, with those that are other ones now."""
    before, after = known.catalogue.templates, catalogue.templates
    changed, gone = different(before, after)
    passages, _gone = different(known.catalogue.passages, catalogue.passages)
    if passages:
        changed |= {
            key for key, t in after.items() if passages.intersection(passages_in(t.content))
        }
    if known.catalogue.shelves != catalogue.shelves:
        changed = set(after)
    return _with(
        known.templates,
        (changed, gone),
        after,
        lambda keys: _entries(catalogue, (after[key] for key in keys)),
    )


def _with(
    index: Index,
    difference: tuple[Collection[str], Collection[str]],
    every: Collection[str],
    entries: Callable[[Collection[str]], Iterable[Entry]],
) -> Index:
    """An index with what is another one now, and without what is gone; made anew when there has
    come to be much beside it."""
    changed, gone = difference
    if not changed and not gone:
        return index
    if index.patched + len(changed) > _MOST_PATCHED:
        return Index(entries(every))
    return index.changed(entries(sorted(changed)), gone)


def _standings(catalogue: Catalogue, now: datetime, pinned: Collection[str]) -> dict[str, float]:
    """Which of two templates that fit alike comes first: one in use before a retired one, then a
    pinned one, then the one used more, where a use counts less the longer ago it was."""
    found = {}
    for key, template in catalogue.templates.items():
        usage = catalogue.usage_of(key)
        weeks = len(usage.weeks)
        used = sum(uses * 0.85 ** (weeks - 1 - n) for n, uses in enumerate(usage.weeks) if uses)
        recent = 1 / (2 + (now - usage.last).days) if usage.last else 0.0
        first = template.pinned or key in pinned
        found[key] = 1e6 * (template.state != "retired") + 1e5 * first + used + recent
    return found


def _entries(catalogue: Catalogue, templates: Iterable[Template]) -> Iterable[Entry]:
    shelves = {shelf.id: shelf.name for shelf in catalogue.shelves}
    for template in templates:
        yield Entry(
            template.id, tuple(text for _what, text in found_by(catalogue, template, shelves))
        )


def found_by(
    catalogue: Catalogue, template: Template, shelves: dict[str, str]
) -> Iterator[tuple[str, str]]:
    """The texts a template is found by, each with what it is; the most telling first. The long one
    is only put together for whoever gets that far."""
    content = template.content
    texts = content.texts.values()
    yield "title", template.title
    yield "keywords", ", ".join((*content.keywords, *content.kinds))
    yield "subject", " · ".join(text.subject for text in texts)
    yield "shelf", shelves.get(template.shelf, "")
    bodies = [text.body for text in texts]
    for name in passages_in(content):
        if passage := catalogue.passages.get(name):
            bodies += [text.body for text in passage.texts.values()]
    yield "text", " ".join(map(plain, bodies))


def plain(markup: str) -> str:
    """The words of a body; the names of its placeholders are none of them."""
    text = SLOT.sub(" ", _TAG.sub(" ", markup))
    return html.unescape(text) if "&" in text else text


def where_matched(
    catalogue: Catalogue, template: Template, words: str
) -> tuple[str, str, list[tuple[int, int]]]:
    """Where a template that was found meets the words, if not in its title: what holds them, an
    excerpt, and the matches in it."""
    shelves = {shelf.id: shelf.name for shelf in catalogue.shelves}
    for what, text in islice(found_by(catalogue, template, shelves), 1, None):
        shown, spans = excerpt(words, text)
        if spans:
            return what, shown, spans
    return "", "", []

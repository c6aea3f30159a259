"""The Library's list: what stands on a shelf, in which order, narrowed to what somebody wants."""

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from itertools import chain

from msgspec import Struct, field

from nebbet.library.catalogue import Catalogue
from nebbet.library.holdings import Template

_SHORT = 25  # templates in the lists of what was used lately and most


class Wanted(Struct, frozen=True):
    """What somebody wants to see: the templates of a shelf with those on it (or of all, for ""),
    retired ones instead, of one kind of case, with one keyword."""

    shelf: str = ""
    retired: bool = False
    kind: str = ""
    keyword: str = ""


class Listing(Struct, frozen=True):
    """The templates of a catalogue in the order of the list: what is pinned first, then by title.

    counts says how many stand on each shelf and the shelves on it; retired ones count nowhere.
    most are the ones used most. kinds and keywords are those that any of them has.
    """

    catalogue: Catalogue = Catalogue()
    living: tuple[str, ...] = ()
    retired: tuple[str, ...] = ()
    most: tuple[str, ...] = ()
    counts: Mapping[str, int] = field(default_factory=dict)
    kinds: tuple[str, ...] = ()
    keywords: tuple[str, ...] = ()
    on_shelf: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    rank: Mapping[str, int] = field(default_factory=dict)

    def wants(self, wanted: Wanted, key: str) -> bool:
        """Whether a template is one of those that somebody wants to see."""
        template = self.catalogue.templates[key]
        if wanted.kind and wanted.kind not in template.content.kinds:
            return False
        if wanted.keyword and wanted.keyword not in template.content.keywords:
            return False
        if wanted.retired or template.state == "retired":
            return wanted.retired and template.state == "retired"
        return not wanted.shelf or template.shelf in self._with_inner(wanted.shelf)

    def chosen(self, wanted: Wanted, among: Iterable[str] | None = None) -> list[str]:
        """The templates that somebody wants to see, in the order of the list; or those of some
        that were found, in theirs."""
        if among is not None:
            known = self.catalogue.templates
            return [key for key in among if key in known and self.wants(wanted, key)]
        keys: Iterable[str] = self.living
        if wanted.retired:
            keys = self.retired
        elif wanted.shelf:
            shelves = self._with_inner(wanted.shelf)
            on = chain.from_iterable(self.on_shelf.get(shelf, ()) for shelf in shelves)
            keys = sorted(on, key=self.rank.__getitem__)
        if not (wanted.kind or wanted.keyword):
            return list(keys)
        return [key for key in keys if self.wants(wanted, key)]

    def lately(self, used: Iterable[str]) -> list[str]:
        """Of templates in the order of their use, newest first, those that were used last."""
        return [key for key in dict.fromkeys(used) if key in self.rank][:_SHORT]

    def _with_inner(self, shelf: str) -> set[str]:
        """A shelf with the shelves on it."""
        found, shelves = {shelf}, self.catalogue.shelves
        for _ in shelves:
            found |= {inner.id for inner in shelves if inner.parent in found}
        return found


def _counts(catalogue: Catalogue, on_shelf: Mapping[str, Sequence[str]]) -> Counter[str]:
    """How many templates stand on each shelf, those on its inner shelves too."""
    parents = {shelf.id: shelf.parent for shelf in catalogue.shelves}
    counts: Counter[str] = Counter()
    for shelf, keys in on_shelf.items():
        above, seen = shelf, set[str]()
        while above and above not in seen:
            seen.add(above)
            counts[above] += len(keys)
            above = parents.get(above, "")
    return counts


def listing_of(catalogue: Catalogue, pinned: Collection[str] = ()) -> Listing:
    """Put the templates of a catalogue in order; pinned are those that somebody has pinned for
    themselves."""

    def place(template: Template) -> tuple[bool, str]:
        return not (template.pinned or template.id in pinned), template.title.casefold()

    ordered = sorted(catalogue.templates.values(), key=place)
    living = [template for template in ordered if template.state != "retired"]
    on_shelf: dict[str, list[str]] = {}
    for template in living:
        on_shelf.setdefault(template.shelf, []).append(template.id)
    uses = {key: sum(usage.weeks) for key, usage in catalogue.usage.items()}
    used = [template.id for template in ordered if uses.get(template.id)]
    return Listing(
        catalogue,
        tuple(template.id for template in living),
        tuple(template.id for template in ordered if template.state == "retired"),
        tuple(sorted(used, key=lambda key: -uses[key])[:_SHORT]),
        _counts(catalogue, on_shelf),
        tuple(sorted({kind for template in living for kind in template.content.kinds})),
        tuple(sorted({word for template in living for word in template.content.keywords})),
        {shelf: tuple(keys) for shelf, keys in on_shelf.items()},
        {template.id: number for number, template in enumerate(ordered)},
    )

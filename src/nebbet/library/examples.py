"""The cases that a template is shown with while it is being written."""

from nebbet.core import inline
from nebbet.core.letter import Content
from nebbet.core.placeholders import World, implied
from nebbet.core.records import Case, case_fields, fold
from nebbet.library.catalogue import Catalogue
from nebbet.library.holdings import Template
from nebbet.library.writing import Writer


def example_cases(catalogue: Catalogue, content: Content, about: str) -> list[str]:
    """The ids of the cases that have most of the fields a template takes; those first whose kind
    is nearest to what the template is about."""
    from rapidfuzz import fuzz

    wanted = {fold(p.of) for p in content.placeholders if p.source == "case"}
    for text in content.texts.values():
        found = inline.slots(inline.parse(f"{text.subject}\n{text.body}"))
        made = (implied(slot.name) for slot in found)
        wanted |= {fold(p.of) for p in made if p and p.source == "case"}
    # Cases of a kind have the same fields: what fits one fits them all.
    alike: dict[tuple[str, ...], list[Case]] = {}
    for case in catalogue.cases.values():
        alike.setdefault((case.kind, *case.fields), []).append(case)
    fits = {key: len(wanted & _field_names(held[0])) for key, held in alike.items()}
    best = [key for key in alike if fits[key] == max(fits.values())]
    best.sort(key=lambda key: -fuzz.token_set_ratio(key[0].casefold(), about.casefold()))
    return [case.id for key in best for case in alike[key]]


def _field_names(case: Case) -> set[str]:
    return {fold(name) for name in case_fields(case)}


def example_world(
    catalogue: Catalogue,
    template: Template,
    writer: Writer,
    *,
    language: str = "",
    case: Case | None = None,
) -> World:
    """What a template's values come from while it is written: an example that fits it."""
    content = template.content
    if case is None:
        fitting = example_cases(catalogue, content, template.title)
        case = catalogue.cases.get(next(iter(fitting), ""))
    return catalogue.world(
        writer.moment,
        writer.me,
        language or next(iter(content.texts)),
        catalogue.contacts.get(case.contact) if case else None,
        case,
        content.calendar,
    )

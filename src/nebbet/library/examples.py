"""The cases that a template is shown with while it is being written."""

from nebbet.core import inline
from nebbet.core.letter import Content
from nebbet.core.placeholders import World, implied
from nebbet.core.records import Case, Contact, case_fields, fold
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
    fits: dict[tuple[str, ...], int] = {}
    for case in catalogue.samples.values():
        if _shape(case) not in fits:
            fits[_shape(case)] = len(wanted & {fold(name) for name in case_fields(case)})
    most = max(fits.values(), default=0)
    best = [case for case in catalogue.samples.values() if fits[_shape(case)] == most]
    near = {
        kind: -fuzz.token_set_ratio(kind.casefold(), about.casefold())
        for kind in {case.kind for case in best}
    }
    best.sort(key=lambda case: near[case.kind])
    return [case.id for case in best]


def _shape(case: Case) -> tuple[str, ...]:
    return (case.kind, *case.fields)


def example_world(
    catalogue: Catalogue,
    template: Template,
    writer: Writer,
    *,
    language: str = "",
    case: Case | None = None,
    contact: Contact | None = None,
) -> World:
    """What a template's values come from while it is written: an example that fits it."""
    content = template.content
    if case is None:
        fitting = example_cases(catalogue, content, template.title)
        case = catalogue.samples.get(next(iter(fitting), ""))
    return catalogue.world(
        writer.moment,
        writer.me,
        language or next(iter(content.texts)),
        catalogue.contact_of(case) if contact is None else contact,
        case,
        content.calendar,
    )

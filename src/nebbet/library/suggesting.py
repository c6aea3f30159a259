"""Which templates of a library answer a message."""

from collections.abc import Collection, Iterable

from nebbet.core.inline import SLOT
from nebbet.core.letter import passages_in
from nebbet.core.ranking.suggesting import Answerer, Lesson, Suggester, telling_words
from nebbet.core.records import Case, fold
from nebbet.library.catalogue import Catalogue
from nebbet.library.holdings import Template
from nebbet.library.search import plain


def answerers_of(catalogue: Catalogue) -> list[Answerer]:
    """What is known of the templates in use."""
    return [
        _answerer(catalogue, template)
        for template in catalogue.templates.values()
        if template.state == "in use" and template.edition
    ]


def _answerer(catalogue: Catalogue, template: Template) -> Answerer:
    texts = template.content.texts.values()
    bodies = [text.body for text in texts]
    for name in passages_in(template.content):
        if passage := catalogue.passages.get(name):
            bodies += [text.body for text in passage.texts.values()]
    return Answerer(
        template.id,
        template.title,
        ", ".join(template.content.keywords),
        template.content.kinds,
        " ".join(SLOT.sub(" ", text.subject) for text in texts),
        " ".join(map(plain, bodies)),
    )


def suggester_of(catalogue: Catalogue, lessons: Iterable[Lesson] = ()) -> Suggester:
    """What suggests the templates of a catalogue, with what was learned of answers."""
    return Suggester(answerers_of(catalogue), lessons)


def lesson_of(catalogue: Catalogue, template: str, text: str) -> Lesson:
    """What is kept of a message that a template answered: of its words those that templates of the
    library have, too, so that no name, number or address is among them."""
    known: set[str] = set()
    for one in answerers_of(catalogue):
        said = (one.title, one.keywords, one.subject, one.text, " ".join(one.kinds))
        known.update(telling_words("\n".join(said)))
    return Lesson(template, tuple(word for word in telling_words(text) if word in known))


def kinds_of(cases: Iterable[Case]) -> Collection[str]:
    """The kinds of some cases, once each."""
    return list({fold(case.kind): case.kind for case in cases if case.kind}.values())

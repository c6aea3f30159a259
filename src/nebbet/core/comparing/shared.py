"""What sets two states of a fact, a passage or a frame apart."""

from msgspec.structs import asdict

from nebbet.core.body import Frame
from nebbet.core.comparing.compare import Row, Section, compare, word_pieces
from nebbet.core.letter import Content, Passage, TemplateDraft
from nebbet.core.placeholders import show
from nebbet.core.records import Fact, label_of
from nebbet.core.values import from_json

Shared = Fact | Passage | Frame
_LANGUAGE = "en_GB"  # the window's own


def compare_shared(before: Shared | None, after: Shared) -> tuple[Section, ...]:
    """The parts that differ; of something that was not there before, all of them.

    >>> [s.name for s in compare_shared(Fact("fee", 5, "Fee"), Fact("fee", 6, "Fee"))]
    ['Value']
    """
    if isinstance(after, Passage):
        old = before if isinstance(before, Passage) else Passage(after.id, "")
        return compare(_as_draft(old), _as_draft(after))
    was, now = _lines(before), _lines(after)
    rows = {name: Row(*word_pieces(was.get(name, ""), now[name])) for name in now}
    return tuple(Section(name, (row,)) for name, row in rows.items() if row.changed)


def _as_draft(passage: Passage) -> TemplateDraft:
    return TemplateDraft(passage.title, "", Content(passage.texts, passage.placeholders))


def _lines(record: Shared | None) -> dict[str, str]:
    """A record as lines of text, by their labels."""
    if isinstance(record, Fact):
        return {"Label": record.label, "Value": show(from_json(record.value), _LANGUAGE)}
    if isinstance(record, Frame):
        return {
            label_of(name): " / ".join(value) if isinstance(value, tuple) else str(value or "")
            for name, value in asdict(record).items()
        }
    return {}

"""The wording of a letter as a state of its template, to be offered to the team."""

from collections.abc import Iterator, Mapping
from itertools import accumulate

from msgspec.structs import replace

from nebbet.core import body, inline
from nebbet.core.body import Block, Body
from nebbet.core.comparing.aligning import aligned
from nebbet.core.letter import Content, Letter, Passage
from nebbet.core.letter.passages import in_their_places


def wording(
    letter: Letter, began: Letter, content: Content, passages: Mapping[str, Passage]
) -> Content:
    """A template with what a writer changed by hand in a letter made with it: subject and text, in
    the letter's language. Values stay placeholders; a passage or a part under a condition stays
    what it is, unless the writer changed it.

    began is the letter as it was before anything was changed, for the same person and case and with
    the same answers.
    """
    code = letter.language
    text = content.texts[code]
    if letter.body != began.body:
        made = _reworded(text.blocks, letter, began, passages)
        text = replace(text, body=body.write(body.tidy(made)))
    if letter.subject != began.subject:
        text = replace(text, subject=inline.source(letter.subject))
    return replace(content, texts=content.texts | {code: text})


def is_reworded(letter: Letter, began: Letter) -> bool:
    """Whether a writer changed anything in a letter that a template could say."""
    return letter.body != began.body or letter.subject != began.subject


def _reworded(
    source: Body, letter: Letter, began: Letter, passages: Mapping[str, Passage]
) -> Iterator[Block]:
    """The blocks of the template where the letter has them unchanged, else those of the letter."""
    before, after = body.collapsed(began.body), body.collapsed(letter.body)
    counts = [len(in_their_places((block,), passages, letter.language)) for block in source]
    if sum(counts) != len(before):  # a passage has changed since: only the letter knows how
        yield from after
        return
    ends = [*accumulate(counts)]
    owners = [number for number, count in enumerate(counts) for _ in range(count)]
    segments = list(aligned(before, after))
    kept = {n for same, first, last, _, _ in segments if same for n in range(first, last)}
    for same, first, last, start, end in segments:
        if not same:
            yield from after[start:end]
            continue
        for number in range(first, last):
            owner = owners[number]
            its_own = range(ends[owner] - counts[owner], ends[owner])
            if not kept.issuperset(its_own):
                yield after[start + number - first]
            elif number == its_own[0]:
                yield source[owner]

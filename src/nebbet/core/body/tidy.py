"""The one form of a body: what two ways of writing the same thing come to."""

from collections.abc import Iterable, Iterator

from msgspec.structs import replace

from nebbet.core.body.model import (
    MOST_COLUMNS,
    Block,
    Body,
    Break,
    Button,
    Divider,
    FactRow,
    Gap,
    Guidance,
    Heading,
    Included,
    Inline,
    Markup,
    Paragraph,
    Picture,
    Run,
    Start,
    sections,
)


def tidy(blocks: Iterable[Block]) -> Body:
    """The one form of a body: equal neighbours joined, doubled spaces kept as no-break spaces,
    no space at the edges of a block, one start mark, columns counted from 1 without holes, no
    empty block but paragraphs between others."""
    done: list[Block] = []
    started = False
    for block in blocks:
        kept = tuple(_one_start(block.inlines, started=started))
        made = _tidied(replace(block, inlines=kept))
        if made is not None:
            started = started or any(isinstance(part, Start) for part in made.inlines)
            done.append(made)
    done = _columned(done)
    while done and _is_empty(done[-1]):
        done.pop()
    while done and _is_empty(done[0]):
        done.pop(0)
    return tuple(done)


def _one_start(inlines: Iterable[Inline], *, started: bool) -> Iterator[Inline]:
    """The inlines with the first start mark only, and none when there was one before."""
    for part in inlines:
        if isinstance(part, Start):
            if started:
                continue
            started = True
        yield part


def _tidied(block: Block) -> Block | None:
    """A block in its one form, or nothing where it says nothing."""
    match block:
        case Divider() | Included() | Markup():
            return replace(block, inlines=(), align="")
        case Guidance():
            words = _tidy_inlines(_words(block.inlines))
            return replace(block, inlines=words, align="", quote=False) if words else None
        case Button():
            words = _tidy_inlines(p for p in _words(block.inlines) if isinstance(p, Run))
            return replace(block, inlines=words) if words else None
        case FactRow():
            return _fact_row(block)
        case Heading():  # a heading is bold by itself
            inlines = _tidy_inlines(_not_bold(block.inlines))
        case _:
            inlines = _tidy_inlines(block.inlines)
    return replace(block, inlines=inlines) if inlines or isinstance(block, Paragraph) else None


def _fact_row(block: FactRow) -> FactRow | None:
    """A row with exactly one gap: what comes before the first is the label."""
    label, value = sides(block.inlines)
    label, value = _tidy_inlines(label), _tidy_inlines(value)
    if not label and not value:
        return None
    return replace(block, inlines=(*label, Gap(), *value), align="")


def sides(inlines: tuple[Inline, ...]) -> tuple[tuple[Inline, ...], tuple[Inline, ...]]:
    """The label and the value of a fact row."""
    at = next((i for i, part in enumerate(inlines) if isinstance(part, Gap)), len(inlines))
    return inlines[:at], inlines[at + 1 :]


def _words(inlines: Iterable[Inline]) -> list[Inline]:
    """Plain text and line ends only."""
    plain: list[Inline] = []
    for part in inlines:
        if isinstance(part, Run):
            plain.append(Run(part.content))
        elif isinstance(part, Break):
            plain.append(part)
    return plain


def _columned(blocks: list[Block]) -> list[Block]:
    """Columns counted from 1 without holes; one column alone is none."""
    done: list[Block] = []
    for held in sections(blocks):
        used = sorted({min(block.column, MOST_COLUMNS) for block in held})
        places = {number: place for place, number in enumerate(used, 1)}
        for block in held:
            place = places[min(block.column, MOST_COLUMNS)] if len(used) > 1 else 0
            done.append(block if block.column == place else replace(block, column=place))
    return done


def _is_empty(block: Block) -> bool:
    return isinstance(block, Paragraph) and not block.inlines and not block.column


def _not_bold(inlines: Iterable[Inline]) -> list[Inline]:
    return [replace(p, bold=False) if isinstance(p, Run) else p for p in inlines]


def _tidy_inlines(inlines: Iterable[Inline]) -> tuple[Inline, ...]:
    joined: list[Inline] = []
    for part in inlines:
        if isinstance(part, Gap):
            part = Run(" ")  # noqa: PLW2901 only a fact row has a gap
        if isinstance(part, Run) and part.link and part.underline:
            part = replace(part, underline=False)  # noqa: PLW2901 a link is underlined by itself
        last = joined[-1] if joined else None
        if isinstance(part, Run) and part.content == "" and not part.link:
            continue
        if _joins(last, part):
            joined[-1] = replace(last, content=last.content + part.content)  # type: ignore
        else:
            joined.append(part)
    done = _trimmed(_spaced(joined))
    return done if says_something(done) else ()


def says_something(inlines: Iterable[Inline]) -> bool:
    """Whether there is more than space."""
    return any(
        isinstance(part, Picture | Start)
        or (isinstance(part, Run) and (not isinstance(part.content, str) or part.content.strip()))
        for part in inlines
    )


def _joins(last: Inline | None, part: Inline) -> bool:
    return (
        isinstance(last, Run)
        and isinstance(part, Run)
        and isinstance(last.content, str)
        and isinstance(part.content, str)
        and replace(last, content="") == replace(part, content="")
    )


def _spaced(inlines: Iterable[Inline]) -> list[Inline]:
    """Turn every space that follows another space into a no-break space: HTML would drop it."""
    done: list[Inline] = []
    after_space = False
    for part in inlines:
        if not isinstance(part, Run) or not isinstance(part.content, str):
            done.append(part)
            after_space = False
            continue
        text = part.content.replace("\t", " ")
        if after_space and text.startswith(" "):
            text = "\u00a0" + text[1:]
        while "  " in text:
            text = text.replace("  ", " \u00a0")
        after_space = text.endswith(" ")
        done.append(replace(part, content=text))
    return done


def _trimmed(inlines: list[Inline]) -> tuple[Inline, ...]:
    """Drop spaces and breaks at the ends, and spaces round a break: nobody would see them."""
    done: list[Inline] = []
    for given in inlines:
        at_start = not done or isinstance(done[-1], Break)
        part = _stripped(given, left=True) if at_start else given
        if isinstance(part, Break):
            _strip_end(done)
        if part != _NOTHING:
            done.append(part)
    _strip_end(done)
    while done and isinstance(done[-1], Break):
        done.pop()
        _strip_end(done)
    while done and isinstance(done[0], Break):
        done.pop(0)
    return tuple(done)


_NOTHING = Run("")


def _stripped(part: Inline, *, left: bool) -> Inline:
    if not isinstance(part, Run) or not isinstance(part.content, str):
        return part
    text = part.content.lstrip(" ") if left else part.content.rstrip(" ")
    return replace(part, content=text) if text else _NOTHING


def _strip_end(done: list[Inline]) -> None:
    if done:
        done[-1] = _stripped(done[-1], left=False)
        if done[-1] == _NOTHING:
            done.pop()

"""Whether a link leads to something that a reader can open."""

from collections.abc import Iterator

from msgspec.structs import replace

from nebbet.core import addresses, inline
from nebbet.core.body import Body, Button, Picture, Run, link_address, standing, text_of
from nebbet.core.inline import Line, Slot


def lines_of_links(found: Body) -> Iterator[tuple[str, Line]]:
    """The links of a body, but for finished HTML, each with the words of its button, if it is
    one."""
    for block in standing(found):
        if isinstance(block, Button):
            yield inline.source(text_of(block)), block.link
        for part in block.inlines:
            if isinstance(part, Run | Picture) and part.link:
                yield "", part.link


def leads_somewhere(link: Line) -> bool:
    """Whether a completed link is a whole address: of a page, a mailbox or a telephone."""
    address = link_address(link)
    scheme, _, rest = address.partition(":")
    match scheme.casefold():
        case "http" | "https":
            host = rest.removeprefix("//").partition("/")[0].partition("?")[0]
            return rest.startswith("//") and "." in host.strip(".")
        case "mailto":
            return isinstance(addresses.one(rest.partition("?")[0]), addresses.Address)
        case "tel":
            return any(sign.isdigit() for sign in rest)
    return False


def as_example(link: Line) -> Line:
    """A link with values of a likely kind in the place of its placeholders."""
    made: list[str | Slot] = []
    for index, part in enumerate(link):
        if isinstance(part, str):
            made.append(part)
            continue
        before = link_address(tuple(made))
        after = link[index + 1] if index + 1 < len(link) else ""
        made.append(replace(part, text=_example(before, after)))
    return tuple(made)


def _example(before: str, after: str | Slot) -> str:
    if not before:
        return "https://host.example"
    if before.startswith("tel:"):
        return "5"
    if before.startswith("mailto:") and "?" not in before:
        at = isinstance(after, str) and after.startswith("@")
        return "somebody" if at or "@" in before else "somebody@host.example"
    return "host.example"

"""Which library files a template uses, and one file in the place of another."""

from msgspec.structs import replace

from nebbet.core.body import FILE
from nebbet.core.letter.content import Content, Enclosure, Texts


def files_in(content: Content) -> set[str]:
    """The files, by SHA-256, that a template encloses or shows in its texts."""
    found = {enclosure.file for enclosure in content.enclosures}
    for texts in content.texts.values():
        found |= files_in_text(texts)
    return found


def files_in_text(texts: Texts) -> set[str]:
    """The files that a text shows."""
    return set(FILE.findall(texts.body))


def with_file(content: Content, old: str, old_name: str, new: Enclosure) -> Content:
    """A template with another file in the place of one, enclosed and shown. An enclosure that was
    called as its file is called as the new one; a name of its own, or a condition, stays."""

    def other(enclosure: Enclosure) -> Enclosure:
        if enclosure.file != old:
            return enclosure
        name = new.name if enclosure.name == old_name else enclosure.name
        return replace(
            enclosure, file=new.file, name=name, media_type=new.media_type, size=new.size
        )

    texts = {code: text_with_file(text, old, new.file) for code, text in content.texts.items()}
    first = next(iter(texts.values())).fingerprint
    was = next(iter(content.texts.values())).fingerprint
    texts = {
        code: replace(text, original=first) if text.original == was else text
        for code, text in texts.items()
    }
    return replace(content, texts=texts, enclosures=tuple(map(other, content.enclosures)))


def text_with_file(texts: Texts, old: str, new: str) -> Texts:
    """A text that shows another file in the place of one."""
    return replace(texts, body=texts.body.replace(f"file:{old}", f"file:{new}"))

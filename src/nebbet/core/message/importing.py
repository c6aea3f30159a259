"""Making a template of a file: a message, a page, a note."""

import re
from collections.abc import Mapping
from html import escape, unescape
from pathlib import PurePath

from msgspec import Struct
from msgspec.structs import replace

from nebbet.core import body
from nebbet.core.body import clean_markup, title_of, tree_of
from nebbet.core.characters import whole
from nebbet.core.checks.prompts import blank_names, prompts_in
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Copies, Texts, slots, start
from nebbet.core.message.charsets import decoded
from nebbet.core.message.missing import missing_words
from nebbet.core.message.received import open_message
from nebbet.core.placeholders import Placeholder, implied
from nebbet.core.records import fold
from nebbet.core.sentences import said

KINDS = (".eml", ".html", ".htm", ".md", ".txt")
PAGES = (".html", ".htm", ".md")  # kinds that may show pictures which lie beside them
LARGEST = 20 * 2**20
_CHARSET = re.compile(rb"charset\s*=\s*[\"']?\s*([\w.:-]+)", re.IGNORECASE)


class Incoming(Struct, frozen=True):
    """What a file holds: a title, subject, markup, copies; attachments by name, and pictures by the
    address by which the markup shows them."""

    title: str
    subject: str
    markup: str
    cc: str = ""
    bcc: str = ""
    reply_to: str = ""
    attachments: tuple[tuple[str, bytes], ...] = ()
    pictures: Mapping[str, bytes] = {}


def read_file(name: str, data: bytes) -> Incoming:
    """Read a file by the kind that its name says.

    Raises NebbetError for a file of another kind, one that is too large, or an empty one.
    """
    name = whole(name)
    if len(data) > LARGEST:
        raise NebbetError(f"{name} is larger than {LARGEST // 2**20} MB", kept="It was not taken")
    if not data.strip():
        raise NebbetError(f"{name} is empty", kept="No template was made of it")
    suffix, stem = PurePath(name).suffix.casefold(), PurePath(name).stem
    if what := _is_none(suffix, data):
        raise NebbetError(said("{name} is no {what}", name=name, what=what), kept=_NOT_MADE)
    if suffix == ".eml":
        return _message(name, stem, data)
    if suffix in (".html", ".htm"):
        text = _no_longer(name, _text(data, _CHARSET.search(data[:2048])))
        title = title_of(text)
        return Incoming(title or stem, title or stem, text)
    if suffix == ".md":
        return _note(stem, _no_longer(name, _text(data)))
    if suffix == ".txt":
        return _plain(stem, _no_longer(name, _text(data)))
    raise NebbetError(
        f"{name} is of no kind that becomes a template",
        kept="It was not taken",
        advice=f"Choose one that ends in {', '.join(KINDS)}",
    )


_NOT_MADE = "No template was made of it"
_FIELD = re.compile(
    rb"(?:from|to|cc|subject|date|message-id|mime-version|content-type|received|return-path|sender"
    rb"|reply-to|delivered-to)[ \t]*:",
    re.IGNORECASE,
)
_TAG = re.compile(rb"<(?:!doctype|[a-z][a-z0-9]*)[\s/>]", re.IGNORECASE)
_CONTROL = bytes({*range(32)} - {*b"\t\n\r\f\x1b"})
_LOOKED_AT = 4096  # bytes from the beginning of a file
_MOST_CONTROL = 0.02  # share of them that are no text in any charset


def _is_none(suffix: str, data: bytes) -> str:
    """What a file is not, though its name says so; empty where it may be."""
    wide = data.startswith((b"\xff\xfe", b"\xfe\xff"))
    beginning = data[:_LOOKED_AT]
    odd = len(beginning) - len(beginning.translate(None, _CONTROL))
    binary = not wide and odd > _MOST_CONTROL * len(beginning)
    match suffix:
        case ".eml":
            head = re.split(rb"\r?\n\r?\n", data[: 64 * 2**10].lstrip(), maxsplit=1)[0]
            fields = any(_FIELD.match(line) for line in head.splitlines())
            return "" if fields and not binary else said("message")
        case ".html" | ".htm":
            text = data.replace(b"\0", b"") if wide else data
            return "" if _TAG.search(text) and not binary else said("page")
        case ".md" | ".txt":
            return said("note: it holds something else than text") if binary else ""
    return ""


LONGEST = 2 * 2**20  # characters of a text that becomes a template
MOST_LINES = 20_000


def _no_longer(name: str, text: str) -> str:
    """A text, if it is no longer than any letter. Raises NebbetError."""
    if len(text) > LONGEST or text.count("\n") > MOST_LINES:
        raise NebbetError(
            f"{name} is longer than any letter",
            kept="No template was made of it",
            advice="Take out of it what is to be the template",
        )
    return text


def _text(data: bytes, charset: re.Match[bytes] | None = None) -> str:
    """The text of a file: by the charset it names, as UTF-8 or UTF-16, else as Windows-1252,
    which takes nearly anything."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return whole(data.decode("utf-16", "replace"))
    if data.startswith(b"\xef\xbb\xbf"):
        return data.decode("utf-8-sig", "replace")
    return decoded(data, charset[1].decode("ascii", "ignore") if charset else "utf-8")


def _message(name: str, stem: str, data: bytes) -> Incoming:
    found = open_message(data)
    markup = _no_longer(name, found.html) or _structured(_no_longer(name, found.plain))
    return Incoming(
        found.subject or stem,
        found.subject,
        markup,
        cc=found.cc,
        bcc=found.bcc,
        reply_to=found.reply_to,
        attachments=found.attachments,
        pictures={f"cid:{name}": held for name, held in found.pictures.items()},
    )


def _note(stem: str, text: str) -> Incoming:
    """Markdown (CommonMark); its first heading is the title and goes from the text."""
    from markdown_it import MarkdownIt

    markup = MarkdownIt("commonmark").enable("strikethrough").enable("table").render(text)
    markup = markup.lstrip()
    end = markup.find("</h1>") if markup.startswith("<h1>") else -1
    if end < 0:
        return Incoming(stem, stem, markup)
    title = unescape(re.sub("<[^<>]+>", "", markup[4:end]))
    return Incoming(title, title, markup[end + 5 :])


def _plain(stem: str, text: str) -> Incoming:
    """A text; a first line that says “Subject:” is that."""
    first, _, rest = text.lstrip().partition("\n")
    name, given, subject = first.partition(":")
    if given and name.strip().casefold() in ("subject", "betreff", "objet", "emne"):
        return Incoming(stem, subject.strip(), _structured(rest))
    return Incoming(stem, stem, _structured(text))


def _structured(text: str) -> str:
    return body.write(body.from_text(text))


def picture_addresses(markup: str) -> list[str]:
    """The addresses of the pictures in some markup, once each."""
    root, _ = tree_of(markup)
    found = [] if root is None else [node.get("src", "") for node in root.iter("img")]
    return list(dict.fromkeys(address for address in found if address))


def content_of(
    draft: Incoming, pictures: Mapping[str, str], language: str = "en_GB", *, finished: bool = False
) -> tuple[Content, tuple[str, ...]]:
    """The content of a template, and what was taken out of it, in words.

    pictures gives the SHA-256 of the library files by the addresses in the markup. finished keeps
    the markup as it is, cleaned. Names in braces that are no fields are declared as blanks.
    """
    removed: tuple[str, ...] = ()
    if finished:
        source, removed = (cleaned := clean_markup(draft.markup, pictures)).source, cleaned.removed
    else:
        source = body.write(body.read_foreign(draft.markup, pictures))
    texts = Texts(draft.subject, source, finished=finished)
    if gone := missing_words(draft.markup, "\n".join(body.written_lines(texts.blocks))):
        removed = (*removed, f"the words {gone}")
    copies = Copies(cc=draft.cc, bcc=draft.bcc, reply_to=draft.reply_to)
    content = Content({language: texts}, copies=copies)
    return _declared(content), removed


def _declared(content: Content) -> Content:
    """Declare the names in a text that nobody else knows."""
    names = {fold(slot.name): slot.name for slot in slots(start("", content))}
    free = (name for name in names.values() if implied(name) is None and "." not in name)
    blanks = tuple(Placeholder(name) for name in free)
    return replace(content, placeholders=blanks)


def with_blanks(content: Content) -> Content:
    """Make blanks of the bracketed prompts in every text of a template."""
    texts = content.texts
    lines = (line for t in texts.values() for line in body.written_lines(t.blocks))
    plain = "\n".join([*(t.subject for t in texts.values()), *lines])
    named = blank_names(prompts_in(plain), (p.name for p in content.placeholders))
    if not named:
        return content
    made = {
        code: replace(
            t, subject=_filled(t.subject, named), body=_filled(t.body, named, as_html=True)
        )
        for code, t in texts.items()
    }
    blanks = tuple(Placeholder(name) for name in named.values())
    return replace(content, texts=made, placeholders=(*content.placeholders, *blanks))


def _filled(text: str, named: Mapping[str, str], *, as_html: bool = False) -> str:
    for prompt, name in named.items():
        written = escape(prompt, quote=False) if as_html else prompt
        text = text.replace(written, f"{{{{{name}}}}}")
    return text

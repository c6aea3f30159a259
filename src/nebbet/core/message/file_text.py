"""What can be read of an office file or a text, for looking who is named in it."""

import io
import re
import zipfile
from collections.abc import Iterator
from pathlib import PurePath

from nebbet.core.message.charsets import decoded

_TEXTS = (".txt", ".csv", ".tsv", ".md", ".html", ".htm", ".ics", ".vcf", ".xml", ".json", ".eml")
# Where office files keep their words: ECMA-376 part 1 (11.3, 12.3, 13.3), ODF 1.3 part 2 (3.1).
_PARTS = re.compile(
    r"word/(document|header\d*|footer\d*|footnotes|comments)\.xml|xl/sharedStrings\.xml"
    r"|xl/worksheets/[^/]+\.xml|ppt/slides/[^/]+\.xml|content\.xml"
)
_BREAKS = frozenset(("p", "h", "row", "c", "si", "tr", "table-row", "table-cell", "br", "tab"))
_LONGEST = 1_000_000  # characters that are looked through
_LARGEST = 40 * 2**20  # bytes of a part, unpacked
_TAG = re.compile(r"<[^>]*>")


def text_of_file(data: bytes, name: str) -> str:
    """The words of an office file (ECMA-376, ODF) or a text; empty where it is neither, or cannot
    be read."""
    ending = PurePath(name).suffix.casefold()
    if ending in _TEXTS:
        text = decoded(data[: 4 * _LONGEST])
        return (_TAG.sub(" ", text) if ending in (".html", ".htm") else text)[:_LONGEST]
    if data[:4] == b"PK\x03\x04":
        return _packed(data)
    return ""


def _packed(data: bytes) -> str:
    from lxml import etree  # where it is needed: it takes a moment

    found: list[str] = []
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            for entry in packed.infolist():
                if _PARTS.fullmatch(entry.filename) and entry.file_size <= _LARGEST:
                    found += _words(packed.read(entry))
    except (zipfile.BadZipFile, etree.XMLSyntaxError, RuntimeError, OSError, ValueError,
            NotImplementedError, EOFError):  # fmt: skip
        return ""
    return "".join(found)[:_LONGEST]


def _words(part: bytes) -> Iterator[str]:
    """The words of one part, each paragraph, row and cell on a line of its own."""
    from lxml import etree

    parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=False)
    left = _LONGEST
    for event, node in etree.iterwalk(etree.fromstring(part, parser), events=("start", "end")):
        is_break = event == "end" and etree.QName(node).localname in _BREAKS
        text = node.text if event == "start" else node.tail
        for piece in ("\n" if is_break else "", text or ""):
            left -= len(piece)
            if piece and left > 0:
                yield piece

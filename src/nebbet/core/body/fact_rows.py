"""Which rows of a table say a fact: a label and its value."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lxml import etree

FACT_SIDES = ("dt", "dd", "td", "th")
_LONGEST_LABEL = 60
_JUDGED = "data-judged"
_LAID_OUT = {"table", "ul", "ol", "dl", "blockquote", "hr", "img", "h1", "h2", "h3", "h4", "h5",
             "h6"}  # fmt: skip


def is_value(node: "etree._Element") -> bool:
    """Whether a side of a fact row is its value: the second one."""
    return node.tag == "dd" or (node.tag != "dt" and node.getprevious() is not None)


def is_fact_row(row: "etree._Element") -> bool:
    """Whether a row of a table of anybody's making says a label and its value: two cells, the
    first one short, neither laid out further."""
    if row is None or row.tag != "tr" or len(row) != 2:
        return False
    kept = row.get(_JUDGED)
    if kept is None:
        kept = "yes" if _says_a_fact(row) else "no"
        row.set(_JUDGED, kept)
    return bool(kept == "yes")


def _says_a_fact(row: "etree._Element") -> bool:
    table = next((a for a in row.iterancestors() if a.tag == "table"), None)
    if table is None or not _has_pairs(table) or any(cell.tag not in ("td", "th") for cell in row):
        return False
    laid_out = any(node.tag in _LAID_OUT for node in row.iter())
    label = " ".join(row[0].itertext()).split()
    return bool(label) and not laid_out and len(" ".join(label)) <= _LONGEST_LABEL


def _has_pairs(table: "etree._Element") -> bool:
    """Whether every row of a table has two cells; judged once."""
    kept = table.get(_JUDGED)
    if kept is None:
        kept = "no" if any(len(row) != 2 for row in table.iter("tr")) else "yes"
        table.set(_JUDGED, kept)
    return bool(kept == "yes")

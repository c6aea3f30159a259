"""A finding: how grave, where, in one sentence, and what mends it."""

from collections.abc import Iterable
from typing import Literal

from msgspec import Struct

from nebbet.core.inline import Typo
from nebbet.core.sentences import said

Severity = Literal["stop", "doubt", "note"]
_ORDER: tuple[Severity, ...] = ("stop", "doubt", "note")


class Remedy(Struct, frozen=True):
    """Something that mends a finding: words for the button, the action and what it acts on."""

    words: str
    action: Literal[
        "drop copy",
        "drop attachment",
        "rename",
        "answer",
        "drop part",
        "mend braces",
        "sign",
        "address",
    ]
    on: str
    to: str = ""


class Finding(Struct, frozen=True):
    """One finding. part is where to look (subject, body, to, cc, bcc, reply_to, attachments,
    particulars); span is the placeholder's name or the words in question; language is that of the
    text it was found in."""

    rule: str
    severity: Severity
    part: str
    sentence: str
    span: str = ""
    remedy: Remedy | None = None
    language: str = ""

    @property
    def key(self) -> str:
        """What is the same for the same finding, however it is worded."""
        return "\n".join((self.rule, self.part, self.span))


def worst(findings: Iterable[Finding]) -> Severity | None:
    """The gravest severity among findings, or None."""
    found = {finding.severity for finding in findings}
    return next((severity for severity in _ORDER if severity in found), None)


def mend_braces(typo: Typo) -> Remedy | None:
    """What writes mistyped braces as they were meant."""
    if not typo.meant:
        return None
    return Remedy(said("Use {text}", text=typo.meant), "mend braces", typo.text, typo.meant)

"""The checks of one letter."""

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import date

from msgspec.structs import replace

from nebbet.core import addresses, body, inline
from nebbet.core import letter as letters
from nebbet.core.addresses import Address
from nebbet.core.checks.findings import Finding, Remedy, Severity
from nebbet.core.checks.prompts import prompts_in
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Attachment, Letter
from nebbet.core.placeholders import Particular, text_in
from nebbet.core.records import fold

LARGEST_TOTAL = 20 * 2**20  # common practice, no source: many servers refuse more than 25 MB

_BRACES = re.compile(r"\{\{|\}\}")
_PROMISES = re.compile(
    r"\b(attached|attachment|enclosed|enclosure|ci-joint\w*|pièces? jointes?|beigefügt\w*|anbei"
    r"|im anhang|vedlagt|vedlegg\w*)\b",
    re.IGNORECASE,
)
_COPY_NAMES = letters.ADDRESS_LINES


def check(
    letter: Letter,
    particulars: Iterable[Particular],
    has_file: Callable[[str], bool],
    expired: Callable[[str], date | None] = lambda _file: None,
) -> tuple[Finding, ...]:
    """Check a completed letter; stops come first, then doubts, then notes.

    has_file says whether the library holds a file, by SHA-256; expired gives the last day on which
    one was to go out, if that is past.
    """
    found = [
        *_values(letter, particulars),
        *_undecided(letter),
        *_recipient(letter),
        *_copies(letter),
        *_subject(letter),
        *_leftovers(letter),
        *_links(letter),
        *_passages(letter),
        *_attachments(letter, has_file),
        *_expired(letter, expired),
    ]
    return tuple(f for grade in ("stop", "doubt", "note") for f in found if f.severity == grade)


def _values(letter: Letter, particulars: Iterable[Particular]) -> Iterator[Finding]:
    known = {fold(particular.name): particular for particular in particulars}
    used = {fold(name) for name in letters.names(letter)}
    for key, particular in known.items():
        if not particular.known:
            yield _unknown(particular)
        elif particular.problem:
            yield _problem(particular)
        elif particular.is_blank and (key in used or particular.placeholder.source == "blank"):
            said = f"{particular.placeholder.title} is not completed: {particular.note}"
            yield Finding(
                "blank", "stop", "particulars", said, particular.name, _rename(particular)
            )
    for slot in letters.slots(letter):
        whole = known.get(fold(slot.name)) if slot.item and slot.text is None else None
        if whole is not None and not whole.is_blank:
            title = whole.placeholder.title
            said = f"Number {slot.item} of {title} is not completed"
            yield Finding("blank", "stop", "particulars", said, slot.key)
    told: set[str] = set()
    for slot in letters.slots(letter):
        if slot.modifiers and slot.inner not in told and fold(slot.name) in known:
            told.add(slot.inner)
            yield from _modifiers(slot, known[fold(slot.name)], letter.language)


def _problem(particular: Particular) -> Finding:
    """What a person typed cannot be taken; over a worked-out value it is theirs to decide."""
    placeholder = particular.placeholder
    severity: Severity = "stop" if placeholder.source == "blank" else "doubt"
    remedy = None
    if len(particular.clearer) == 1:
        (text,) = particular.clearer
        remedy = Remedy(f"Use {text}", "answer", particular.name, text)
    said = f"{placeholder.title}: {particular.problem}"
    return Finding("value", severity, "particulars", said, particular.name, remedy)


def _modifiers(slot: inline.Slot, particular: Particular, language: str) -> Iterator[Finding]:
    try:
        text_in(particular, slot.modifiers, language)
    except NebbetError as error:
        said = f"{{{{{slot.inner}}}}}: {error.what}"
        yield Finding("modifier", "stop", "body", said, slot.name)


def _undecided(letter: Letter) -> Iterator[Finding]:
    for when, reason in letter.undecided.items():
        said = f"A part belongs to the letter only if {when}; that cannot be told: {reason}"
        remedy = Remedy("Leave that part out", "drop part", when)
        yield Finding("condition", "stop", "body", said, when, remedy)


def _unknown(particular: Particular) -> Finding:
    said = particular.note[:1].upper() + particular.note[1:]
    severity: Severity = "stop" if particular.is_blank else "doubt"
    return Finding("unknown", severity, "particulars", said, particular.name, _rename(particular))


def _rename(particular: Particular) -> Remedy | None:
    """What lets a mistyped name be the one that was meant."""
    right = particular.meant
    return Remedy(f"Use “{right}”", "rename", particular.name, right) if right else None


def _recipient(letter: Letter) -> Iterator[Finding]:
    if letter.recipient is None:
        yield Finding("recipient", "stop", "to", "There is no recipient: choose whom it goes to")
        return
    if not letter.recipient.email:
        said = f"{letter.recipient.name} has no address on file: give one"
        yield Finding("recipient", "stop", "to", said)
        return
    found = addresses.one(letter.recipient.email)
    if not isinstance(found, Address):
        yield _not_valid("to", found)


def _not_valid(part: str, problem: addresses.Problem) -> Finding:
    said = f"“{problem.text}” is not a mail address: {problem.reason}"
    return Finding("address", "stop", part, said, problem.text)


def _copies(letter: Letter) -> Iterator[Finding]:
    seen = {}
    if letter.recipient and isinstance(to := addresses.one(letter.recipient.email), Address):
        seen[to.key] = "the recipient"
    for part in _COPY_NAMES:
        line = getattr(letter, part)
        if any(isinstance(p, inline.Slot) and p.text is None for p in line):
            continue  # the blank itself is the finding
        found, problems = addresses.read(inline.shown(line))
        yield from (_not_valid(part, problem) for problem in problems)
        if part == "mailbox" and len(found) > 1:
            said = "A letter comes from one address: leave one in From"
            yield Finding("address", "stop", part, said, found[1].spec)
        if part in ("reply_to", "mailbox"):
            continue
        for address in found:
            if address.key in seen:
                yield _doubled(part, address, seen[address.key])
            seen.setdefault(address.key, f"in {_COPY_NAMES[part]}")


def _doubled(part: str, address: Address, where: str) -> Finding:
    said = f"{address.spec} is in {_COPY_NAMES[part]} and already {where}"
    remedy = Remedy(
        f"Take {address.spec} out of {_COPY_NAMES[part]}", "drop copy", address.spec, part
    )
    return Finding("doubled", "doubt", part, said, address.spec, remedy)


def _subject(letter: Letter) -> Iterator[Finding]:
    if not inline.shown(letter.subject).strip():
        yield Finding("subject", "stop", "subject", "The subject is empty")


def _leftovers(letter: Letter) -> Iterator[Finding]:
    lines_of_body = list(body.lines_of(body.spoken(letter.body)))
    for part, lines in (("subject", [letter.subject]), ("body", lines_of_body)):
        for line in lines:
            yield from _leftovers_in(part, line)


def _leftovers_in(part: str, line: inline.Line) -> Iterator[Finding]:
    text = inline.shown(line, blank=lambda _name: "")
    plain = "\n".join(piece for piece in line if isinstance(piece, str))
    where = f"in the {'subject' if part == 'subject' else 'text'}"
    if typo := next(iter(inline.typos(plain)), None):
        remedy = Remedy(f"Use {typo.meant}", "mend braces", typo.text, typo.meant)
        said = f"{typo.sentence[:-1] if typo.meant else typo.sentence} ({where})"
        yield Finding("leftover", "stop", part, said, typo.text, remedy if typo.meant else None)
    elif braces := _BRACES.search(text):
        near = text[max(0, braces.start() - 10) : braces.end() + 20].strip()
        yield Finding("leftover", "stop", part, f"Braces are left over {where}: “{near}”", near)
    for prompt in prompts_in(text):
        said = f"“{prompt}” {where} looks like a prompt that was not completed"
        yield Finding("leftover", "doubt", part, said, prompt)


def _links(letter: Letter) -> Iterator[Finding]:
    """Where links lead is known only when their values are in."""
    for address in dict.fromkeys(body.link_addresses(letter.body)):
        if not body.may_lead(address):
            said = f"The link “{address[:60]}” leads to nothing that may stand in a letter"
            yield Finding("link", "stop", "body", said, address)


def _passages(letter: Letter) -> Iterator[Finding]:
    for name in body.passages_of(letter.body):
        said = f"The passage “{name}” is not in the library"
        yield Finding("passage", "stop", "body", said, name)


def _expired(letter: Letter, expired: Callable[[str], date | None]) -> Iterator[Finding]:
    for attachment in letter.attached:
        if day := expired(attachment.file):
            name = inline.shown(attachment.name)
            remedy = Remedy(f"Send without {name}", "drop attachment", attachment.file)
            said = f"The attachment {name} was valid until {day:%d %B %Y}"
            yield Finding("expired", "stop", "attachments", said, name, remedy)


def _attachments(letter: Letter, has_file: Callable[[str], bool]) -> Iterator[Finding]:
    for attachment in letter.attached:
        if not has_file(attachment.file):
            name = inline.shown(attachment.name)
            remedy = Remedy(f"Send without {name}", "drop attachment", attachment.file)
            said = f"The attachment {name} is not in the library any more"
            yield Finding("attachment", "stop", "attachments", said, name, remedy)
    if sum(a.size for a in letter.attached) > LARGEST_TOTAL:
        said = "The attachments are more than 20 MB together: many mail servers refuse that"
        yield Finding("attachment", "doubt", "attachments", said)
    if not letter.attached:
        for line in body.lines_of(letter.body):
            if promise := _PROMISES.search(inline.shown(line)):
                said = f"The text says “{promise[0]}”, but nothing is attached"
                yield Finding("attachment", "doubt", "attachments", said, promise[0])
                return


def apply(letter: Letter, remedy: Remedy) -> Letter:
    """Mend a letter by a finding's remedy."""
    match remedy.action:
        case "answer":
            return letters.answer(letter, remedy.on, remedy.to)
        case "drop part":
            return letters.keep_part(letter, remedy.on, keep=False)
        case "mend braces":
            return letters.reworded(letter, remedy.on, remedy.to)
        case "rename":
            return letters.rename(letter, remedy.on, remedy.to)
        case "drop attachment":
            return replace(letter, attachments=_without_file(letter.attachments, remedy.on))
        case "drop copy":
            line = _without_address(getattr(letter, remedy.to), remedy.on)
            return replace(letter, **{remedy.to: line})


def _without_file(attachments: Sequence[Attachment], file: str) -> tuple[Attachment, ...]:
    return tuple(a for a in attachments if a.file != file)


def _without_address(line: inline.Line, spec: str) -> inline.Line:
    """Take the last mention of an address out of a copies line; other slots stay slots."""
    entries = _split(line)
    for index in range(len(entries) - 1, -1, -1):
        found, _ = addresses.read(inline.shown(entries[index]))
        if any(address.key == spec.casefold() for address in found):
            del entries[index]
            break
    return tuple(part for i, entry in enumerate(entries) for part in ((", ",) if i else ()) + entry)


def _split(line: inline.Line) -> list[inline.Line]:
    """Split a copies line at its commas and semicolons, slots kept whole."""
    entries: list[list[str | inline.Slot]] = [[]]
    for part in line:
        if not isinstance(part, str):
            entries[-1].append(part)
            continue
        first, *rest = re.split(r"[,;]", part)
        entries[-1].append(first.strip(" "))
        entries += [[piece.strip(" ")] for piece in rest]
    return [tuple(p for p in entry if p != "") for entry in entries if any(p != "" for p in entry)]

"""The checks of one letter, a rule each."""

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import date
from types import MappingProxyType

from nebbet.core import addresses, body, inline
from nebbet.core import letter as letters
from nebbet.core.addresses import Address
from nebbet.core.checks.clerk_rules import CLERK_RULES
from nebbet.core.checks.date_rules import DATE_RULES
from nebbet.core.checks.findings import Finding, Remedy, Severity, mend_braces
from nebbet.core.checks.frame_rules import check_frame
from nebbet.core.checks.links import leads_somewhere, lines_of_links
from nebbet.core.checks.promises import promise_in
from nebbet.core.checks.prompts import prompts_in
from nebbet.core.checks.rules import Found, Grade, Rule, graded, run
from nebbet.core.checks.subjects import NOTHING_ELSE, About, LetterToCheck
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Attachment, Letter
from nebbet.core.placeholders import Particular, text_in
from nebbet.core.records import fold
from nebbet.core.sentences import said

LARGEST_TOTAL = 25 * 2**20  # common practice, no source: many servers refuse more

_BRACES = re.compile(r"\{\{|\}\}")


def check(
    letter: Letter,
    particulars: Iterable[Particular],
    has_file: Callable[[str], bool],
    expired: Callable[[str], date | None] = lambda _file: None,
    frame: body.Frame | None = None,
    about: About = NOTHING_ELSE,
    grades: Mapping[str, Grade] = MappingProxyType({}),
) -> tuple[Finding, ...]:
    """Check a completed letter, as LetterToCheck; stops come first, then doubts, then notes. grades
    are those that a lead has given to rules, by their ids."""
    known = {fold(particular.name): particular for particular in particulars}
    rules = graded((*LETTER_RULES, *CLERK_RULES, *DATE_RULES), grades)
    return run(rules, LetterToCheck(letter, known, has_file, expired, frame, about))


def _unknown(at: LetterToCheck) -> Iterator[Found]:
    for particular in at.particulars.values():
        if not particular.known:
            sentence = particular.note[:1].upper() + particular.note[1:]
            severity: Severity = "stop" if particular.is_blank else "doubt"
            yield Found("particulars", sentence, particular.name, _rename(particular), severity)


def _rename(particular: Particular) -> Remedy | None:
    """What lets a mistyped name be the one that was meant."""
    right = particular.meant
    if not right:
        return None
    return Remedy(said("Use “{name}”", name=right), "rename", particular.name, right)


def _values(at: LetterToCheck) -> Iterator[Found]:
    """What a person typed cannot be taken; over a worked-out value it is theirs to decide."""
    for particular in at.particulars.values():
        if not particular.known or not particular.problem:
            continue
        placeholder = particular.placeholder
        severity: Severity = "stop" if placeholder.source == "blank" else "doubt"
        remedy = None
        if len(particular.clearer) == 1:
            (text,) = particular.clearer
            remedy = Remedy(said("Use {text}", text=text), "answer", particular.name, text)
        sentence = said("{what}: {problem}", what=placeholder.title, problem=particular.problem)
        yield Found("particulars", sentence, particular.name, remedy, severity)


def _blanks(at: LetterToCheck) -> Iterator[Found]:
    used = {fold(name) for name in letters.names(at.letter)}
    waiting = _waiting(at, used)
    if len(waiting["case"]) > 1:
        yield _no_case(waiting["case"])
    elif waiting["case"]:
        waiting["case"] = {}
    for key, particular in at.particulars.items():
        placeholder = particular.placeholder
        if not particular.known or particular.problem or not particular.is_blank:
            continue
        if any(key in keys for keys in waiting.values()):
            continue
        if key in used or placeholder.source == "blank":
            sentence = said(
                "{what} is not completed: {hint}", what=placeholder.title, hint=particular.note
            )
            yield Found("particulars", sentence, particular.name, _rename(particular))
    for slot in letters.slots(at.letter):
        whole = at.particulars.get(fold(slot.name)) if slot.item and slot.text is None else None
        if whole is not None and not whole.is_blank:
            sentence = said(
                "Number {number} of {what} is not completed",
                number=slot.item,
                what=whole.placeholder.title,
            )
            yield Found("particulars", sentence, slot.key)


def _waiting(at: LetterToCheck, used: set[str]) -> dict[str, dict[str, Particular]]:
    """The blanks that wait for a case, or for a recipient, where none is chosen, with those that
    are worked out from them: that is one thing to do, told once."""
    found: dict[str, dict[str, Particular]] = {"case": {}, "recipient": {}}
    chosen = {"case": at.letter.case, "recipient": at.letter.recipient}
    blank = {k: p for k, p in at.particulars.items() if p.is_blank and p.known and not p.problem}
    needs = {k: set(map(fold, letters.needed(p.placeholder))) for k, p in blank.items()}
    for source, held in found.items():
        if chosen[source] is not None:
            continue
        held.update(
            {k: p for k, p in blank.items() if p.placeholder.source == source and k in used}
        )
        for _ in blank:
            more = {k: p for k, p in blank.items() if k not in held and held.keys() & needs[k]}
            if not more:
                break
            held.update(more)
    return found


def _no_case(waiting: Mapping[str, Particular]) -> Found:
    sentence = said(
        "No case is chosen, and {count} values come from one: choose it", count=len(waiting)
    )
    return Found("case", sentence, next(iter(waiting.values())).name)


def _modifiers(at: LetterToCheck) -> Iterator[Found]:
    told: set[str] = set()
    for slot in letters.slots(at.letter):
        particular = at.particulars.get(fold(slot.name))
        if not slot.modifiers or slot.inner in told or particular is None:
            continue
        told.add(slot.inner)
        try:
            text_in(particular, slot.modifiers, at.letter.language)
        except NebbetError as error:
            sentence = said(
                "{what}: {problem}", what=inline.in_braces(slot.inner), problem=error.what
            )
            yield Found("body", sentence, slot.name)


def _undecided(at: LetterToCheck) -> Iterator[Found]:
    for when, reason in at.letter.undecided.items():
        sentence = said(
            "A part belongs to the letter only if {condition}; that cannot be told: {reason}",
            condition=when,
            reason=reason,
        )
        yield Found("body", sentence, when, Remedy(said("Leave that part out"), "drop part", when))


def _recipient(at: LetterToCheck) -> Iterator[Found]:
    recipient = at.letter.recipient
    if recipient is None:
        yield Found("to", said("There is no recipient: choose whom it goes to"))
    elif not recipient.email:
        yield Found("to", said("{name} has no address on file: give one", name=recipient.name))


def _addresses(at: LetterToCheck) -> Iterator[Found]:
    recipient = at.letter.recipient
    if recipient and recipient.email:
        found = addresses.one(recipient.email)
        if not isinstance(found, Address):
            yield _not_valid("to", found)
    for part, line in _address_lines(at.letter):
        several, problems = addresses.read(line)
        yield from (_not_valid(part, problem) for problem in problems)
        if part == "mailbox" and len(several) > 1:
            sentence = said("A letter comes from one address: leave one in From")
            yield Found(part, sentence, several[1].spec)


def _not_yours(at: LetterToCheck) -> Iterator[Found]:
    """A letter from a mailbox of the team that others send from."""
    for part, line in _address_lines(at.letter):
        for address in addresses.read(line)[0] if part == "mailbox" else ():
            if whose := at.about.barred.get(address.spec.casefold()):
                sentence = said(
                    "Letters from {mailbox} are for {names}", mailbox=address.spec, names=whose
                )
                yield Found(part, sentence, address.spec)


def _address_lines(letter: Letter) -> Iterator[tuple[str, str]]:
    """The address lines in which nothing is left blank: a blank is a finding of its own."""
    for part in letters.ADDRESS_LINES:
        line = getattr(letter, part)
        if not any(isinstance(p, inline.Slot) and p.text is None for p in line):
            yield part, addresses.shown(line)


def _not_valid(part: str, problem: addresses.Problem) -> Found:
    sentence = said(
        "“{text}” is not a mail address: {reason}", text=problem.text, reason=problem.reason
    )
    return Found(part, sentence, problem.text)


def _doubled(at: LetterToCheck) -> Iterator[Found]:
    seen = {}
    recipient = at.letter.recipient
    if recipient and isinstance(to := addresses.one(recipient.email), Address):
        seen[to.key] = ""
    for part, line in _address_lines(at.letter):
        if part in ("reply_to", "mailbox"):
            continue
        name = letters.ADDRESS_LINES[part]
        for address in addresses.read(line)[0]:
            if address.key in seen:
                yield _twice(address.spec, part, seen[address.key])
            seen.setdefault(address.key, name)


def _twice(address: str, part: str, earlier: str) -> Found:
    """An address in a line that stands in an earlier one, too, or is the recipient's for ""."""
    line = letters.ADDRESS_LINES[part]
    sentence = said("{address} is in {line} and already the recipient", address=address, line=line)
    if earlier:
        sentence = said(
            "{address} is in {line} and already in {earlier}",
            address=address,
            line=line,
            earlier=earlier,
        )
    words = said("Take {address} out of {line}", address=address, line=line)
    return Found(part, sentence, address, Remedy(words, "drop copy", address, part))


def _subject(at: LetterToCheck) -> Iterator[Found]:
    if not inline.shown(at.letter.subject).strip():
        yield Found("subject", said("The subject is empty"))


def _lines(letter: Letter) -> Iterator[tuple[str, inline.Line]]:
    """The lines of the subject and of what the text says, each with the part it is in."""
    yield "subject", letter.subject
    for line in body.lines_of(body.spoken(letter.body)):
        yield "body", line


def _leftovers(at: LetterToCheck) -> Iterator[Found]:
    for part, line in _lines(at.letter):
        text = inline.shown(line, blank=lambda _name: "")
        plain = "\n".join(piece for piece in line if isinstance(piece, str))
        if typo := next(iter(inline.typos(plain)), None):
            yield Found(part, typo.sentence, typo.text, mend_braces(typo))
        elif braces := _BRACES.search(text):
            near = text[max(0, braces.start() - 10) : braces.end() + 20].strip()
            sentence = said("Braces are left over in the text: “{near}”", near=near)
            if part == "subject":
                sentence = said("Braces are left over in the subject: “{near}”", near=near)
            yield Found(part, sentence, near)


def _prompts(at: LetterToCheck) -> Iterator[Found]:
    for part, line in _lines(at.letter):
        for prompt in prompts_in(inline.shown(line, blank=lambda _name: "")):
            sentence = said(
                "“{prompt}” in the text looks like a prompt that was not completed", prompt=prompt
            )
            if part == "subject":
                sentence = said(
                    "“{prompt}” in the subject looks like a prompt that was not completed",
                    prompt=prompt,
                )
            yield Found(part, sentence, prompt)


def _links(at: LetterToCheck) -> Iterator[Found]:
    """Where links lead is known only when their values are in."""
    told: set[str] = set()
    for address in dict.fromkeys(body.link_addresses(at.letter.body)):
        if not body.may_lead(address):
            told.add(address)
            sentence = said(
                "The link “{address}” leads to nothing that may stand in a letter",
                address=address[:60],
            )
            yield Found("body", sentence, address)
    for words, link in lines_of_links(at.letter.body):
        address = inline.shown(link)
        if address in told or leads_somewhere(link):
            continue
        if all(slot.text is not None for slot in inline.slots(link)):  # a blank is told elsewhere
            told.add(address)
            sentence = said("The link “{address}” leads nowhere", address=address[:60])
            if words:
                sentence = said("The button “{words}” leads nowhere", words=words[:60])
            yield Found("body", sentence, words or address)


def _passages(at: LetterToCheck) -> Iterator[Found]:
    for name in body.passages_of(at.letter.body):
        yield Found("body", said("The passage “{name}” is not in the library", name=name), name)


def _expired(at: LetterToCheck) -> Iterator[Found]:
    for attachment in at.letter.attached:
        if day := at.expired(attachment.file):
            name, until = inline.shown(attachment.name), f"{day:%d %B %Y}"
            sentence = said("The attachment {name} was valid until {day}", name=name, day=until)
            yield Found("attachments", sentence, name, _without(attachment))


def _attachments(at: LetterToCheck) -> Iterator[Found]:
    for attachment in at.letter.attached:
        if not at.has_file(attachment.file):
            name = inline.shown(attachment.name)
            sentence = said("The attachment {name} is not in the library any more", name=name)
            yield Found("attachments", sentence, name, _without(attachment))


def _without(attachment: Attachment) -> Remedy:
    words = said("Send without {name}", name=inline.shown(attachment.name))
    return Remedy(words, "drop attachment", attachment.file)


def _size(at: LetterToCheck) -> Iterator[Found]:
    # Base64 writes three octets as four signs, with two more for each line of 76 (RFC 2045 §6.8).
    if sum(a.size for a in at.letter.attached) * 78 / 57 > LARGEST_TOTAL:
        sentence = said(
            "The attachments are more than 25 MB together as they are sent: many mail servers "
            "refuse that"
        )
        yield Found("attachments", sentence)


def _promises(at: LetterToCheck) -> Iterator[Found]:
    if at.letter.attached:
        return
    for part, line in _lines(at.letter):
        if promise := promise_in(inline.shown(line)):
            sentence = said("The text says “{promise}”, but nothing is attached", promise=promise)
            if part == "subject":
                sentence = said(
                    "The subject says “{promise}”, but nothing is attached", promise=promise
                )
            yield Found("attachments", sentence, promise)
            return


def _texts(at: LetterToCheck) -> Iterator[Found]:
    """Whether there is anything to read."""
    found = body.standing(at.letter.body)
    if not body.files_of(found) and not body.render_plain(found).strip():
        yield Found("body", said("The text is empty"))


def _frame(at: LetterToCheck) -> Iterator[Found]:
    """What can hardly be read in the letter's frame: the lead mends it, whoever writes decides."""
    for found in check_frame(at.frame) if at.frame else ():
        yield Found("frame", found.sentence, found.span)


LETTER_RULES: tuple[Rule[LetterToCheck], ...] = (
    Rule("unknown", "stop", _unknown),
    Rule("value", "stop", _values),
    Rule("blank", "stop", _blanks),
    Rule("modifier", "stop", _modifiers),
    Rule("condition", "stop", _undecided),
    Rule("recipient", "stop", _recipient),
    Rule("address", "stop", _addresses),
    Rule("mailbox", "stop", _not_yours),
    Rule("doubled", "doubt", _doubled),
    Rule("subject", "stop", _subject),
    Rule("body", "doubt", _texts),
    Rule("leftover", "stop", _leftovers),
    Rule("prompt", "doubt", _prompts),
    Rule("link", "stop", _links),
    Rule("passage", "stop", _passages),
    Rule("attachment", "stop", _attachments),
    Rule("size", "doubt", _size),
    Rule("promise", "doubt", _promises),
    Rule("expired", "stop", _expired),
    Rule("frame", "doubt", _frame),
)

"""What a careful clerk would look at twice: whom a letter is for, what it is about, what is in it.

Where a rule goes by words, they are common ones, from memory, with no source.
"""

import re
from collections.abc import Iterator
from decimal import Decimal

from rapidfuzz.distance import OSA

from nebbet.core import addresses, inline
from nebbet.core.body import Run, standing
from nebbet.core.characters import folded
from nebbet.core.checks.account_numbers import card_numbers, ibans
from nebbet.core.checks.findings import Remedy
from nebbet.core.checks.greetings import greeted, is_greeting
from nebbet.core.checks.language_rules import LANGUAGE_RULES
from nebbet.core.checks.mention_rules import MENTION_RULES
from nebbet.core.checks.rules import Found, Rule
from nebbet.core.checks.signing_rules import SIGNING_RULES
from nebbet.core.checks.subjects import LetterToCheck
from nebbet.core.records import fold
from nebbet.core.sentences import said
from nebbet.core.values import Money

# Domains that many people have their mail at; one that is a letter away from one is a slip.
_COMMON = (
    "gmail.com", "googlemail.com", "outlook.com", "hotmail.com", "hotmail.co.uk", "live.com",
    "yahoo.com", "yahoo.co.uk", "icloud.com", "me.com", "aol.com", "gmx.de", "gmx.net", "web.de",
    "t-online.de", "orange.fr", "wanadoo.fr", "free.fr", "laposte.net", "btinternet.com",
    "protonmail.com", "proton.me",
)  # fmt: skip
_SHORTEST_DOMAIN = 8  # signs: in a shorter one a letter is no slip but another name
_ADDRESS_LIKE = re.compile(r"(?:https?://)?((?:[\w-]+\.)+[a-z]{2,})(?:[/?#]\S*)?", re.IGNORECASE)


def _greeting(at: LetterToCheck) -> Iterator[Found]:
    """A letter that greets somebody else, or twice."""
    recipient = at.letter.recipient
    lines = at.paragraphs[:6]
    greetings = [line for line in lines if is_greeting(line)]
    if len(greetings) > 1:
        sentence = said("There are two greetings: “{one}” and “{two}”", one=greetings[0][:40],
                        two=greetings[1][:40])  # fmt: skip
        yield Found("body", sentence, greetings[1])
    if recipient is None or not greetings or recipient.greeting:
        return
    names = greeted(greetings[0])
    known = " ".join((recipient.name, recipient.organisation, recipient.title,
                      inline.shown(at.letter.to)))  # fmt: skip
    strange = [name for name in names if folded(name) not in folded(known)]
    if recipient.name and strange:
        sentence = said("The letter greets “{name}”, and goes to {recipient}",
                        name=" ".join(strange), recipient=recipient.name)  # fmt: skip
        yield Found("body", sentence, greetings[0])


def _domain(at: LetterToCheck) -> Iterator[Found]:
    """A domain that is a letter away from one that many people have, or that the team has."""
    recipient = at.letter.recipient
    if recipient is None or "@" not in recipient.email:
        return
    domain = recipient.email.rpartition("@")[2].casefold()
    known = (*_COMMON, *at.about.domains)
    if domain in known or len(domain) < _SHORTEST_DOMAIN:
        return
    near = next((one for one in known if OSA.distance(domain, one, score_cutoff=1) <= 1), None)
    if near:
        yield Found(
            "to", said("The address ends in “{domain}”: is “{near}” meant?", domain=domain,
                       near=near), recipient.email,
        )  # fmt: skip


def _other_address(at: LetterToCheck) -> Iterator[Found]:
    """An address that is none of those on file for the recipient: perhaps an old one."""
    recipient, known = at.letter.recipient, at.about.on_file
    if recipient is None or not recipient.email or not known:
        return
    if recipient.email.casefold() not in {one.casefold() for one in known}:
        remedy = Remedy(said("Use {address}", address=known[0]), "address", known[0])
        sentence = said("{address} is no address on file for {name}", address=recipient.email,
                        name=recipient.name or known[0])  # fmt: skip
        yield Found("to", sentence, recipient.email, remedy)


def _to_oneself(at: LetterToCheck) -> Iterator[Found]:
    recipient, own = at.letter.recipient, at.about.sender.casefold()
    if recipient and own and recipient.email.casefold() == own:
        yield Found("to", said("The letter goes to you yourself"), recipient.email)


def _again(at: LetterToCheck) -> Iterator[Found]:
    """The same template went to the same person not long ago, from anybody."""
    for earlier in at.about.lately[:1]:
        yield Found(
            "to",
            said("{who} wrote to this person with this template on {day}", who=earlier.who,
                 day=f"{earlier.day:%d %b}"),
            earlier.day.isoformat(),
        )  # fmt: skip


def _amounts(at: LetterToCheck) -> Iterator[Found]:
    """An amount of nothing, or of less."""
    for particular in at.particulars.values():
        value = particular.value
        if isinstance(value, Money) and value.amount <= Decimal(0):
            yield Found(
                "particulars",
                said("{name} is {amount}", name=particular.placeholder.title,
                     amount=particular.text or value.amount),
                particular.name,
            )  # fmt: skip


def _account_numbers(at: LetterToCheck) -> Iterator[Found]:
    """Numbers that should not stand in a letter."""
    text = "\n".join((inline.shown(at.letter.subject), *at.paragraphs))
    for number in card_numbers(text):
        sentence = said("A card number stands in the letter (…{end})", end=number[-4:])
        yield Found("body", sentence, number)
    for number in ibans(text):
        sentence = said("An account number stands in the letter (…{end})", end=number[-4:])
        yield Found("body", sentence, number)


def _kind(at: LetterToCheck) -> Iterator[Found]:
    case, kinds = at.letter.case, at.about.kinds
    if case and case.kind and kinds and fold(case.kind) not in {fold(kind) for kind in kinds}:
        sentence = said("The template is for {kinds}, and the case is a {kind}",
                        kinds=", ".join(kinds), kind=case.kind)  # fmt: skip
        yield Found("case", sentence, case.kind)


def _same_file(at: LetterToCheck) -> Iterator[Found]:
    seen: set[str] = set()
    for one in at.letter.attached:
        if one.file in seen:
            name = inline.shown(one.name)
            remedy = Remedy(said("Leave one out"), "drop attachment", one.file)
            yield Found("attachments", said("{name} is attached twice", name=name), name, remedy)
        seen.add(one.file)


def _link_says(at: LetterToCheck) -> Iterator[Found]:
    """A link whose words are one address, and that leads to another."""
    for block in standing(at.letter.body):
        for part in block.inlines:
            if not isinstance(part, Run) or not part.link:
                continue
            words, link = inline.shown((part.content,)).strip(), inline.shown(part.link)
            shown, real = _ADDRESS_LIKE.fullmatch(words), _ADDRESS_LIKE.match(link)
            if shown and real and _host(shown[1]) != _host(real[1]):
                sentence = said("The link says “{words}” and leads to {link}", words=words[:60],
                                link=link[:60])  # fmt: skip
                yield Found("body", sentence, words)


def _host(name: str) -> str:
    return name.casefold().removeprefix("www.")


def _many(at: LetterToCheck) -> Iterator[Found]:
    """Many people who see each other's addresses: rarely meant, and never to be taken back."""
    letter = at.letter
    seen = {one.spec.casefold() for part in (letter.to, letter.cc)
            for one in addresses.read(inline.shown(part, lambda _name: ""))[0]}  # fmt: skip
    if letter.recipient and letter.recipient.email:
        seen.add(letter.recipient.email.casefold())
    if len(seen) >= MANY:
        sentence = said("{count} people will see each other's addresses", count=len(seen))
        yield Found("to", sentence, str(len(seen)))


MANY = 6  # people who see each other: more than a household, or those in one matter

CLERK_RULES: tuple[Rule[LetterToCheck], ...] = (
    *MENTION_RULES,
    Rule("greeting", "doubt", _greeting),
    Rule("domain", "doubt", _domain),
    Rule("other address", "note", _other_address),
    Rule("to oneself", "doubt", _to_oneself),
    Rule("again", "doubt", _again),
    Rule("amount", "doubt", _amounts),
    Rule("account number", "doubt", _account_numbers),
    Rule("kind", "note", _kind),
    Rule("same file", "doubt", _same_file),
    Rule("link says", "doubt", _link_says),
    Rule("many", "doubt", _many),
    *LANGUAGE_RULES,
    *SIGNING_RULES,
)

"""The one way a letter is worked out: begun, valued, checked, and let go or not.

The window, the command line, a letter that waited until another day: all of them come through
here, so that none of them sees another letter than the others.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import date, datetime, timedelta

from msgspec import Struct, field

from nebbet.core import body, checks
from nebbet.core import letter as letters
from nebbet.core.checks import About, Earlier, Finding
from nebbet.core.letter import Content, Letter
from nebbet.core.letter.signature import signature_of
from nebbet.core.placeholders import Particular, World
from nebbet.core.records import Case, Contact, Member
from nebbet.library.catalogue import Catalogue
from nebbet.library.entries import Registered
from nebbet.library.holdings import Template

LATELY = timedelta(days=14)  # in which the same letter to the same person is looked at twice
Answers = Mapping[str, Mapping[str, str]]  # what one answered last time, by template and name


class Others(Struct, frozen=True):
    """Others in a letter: what can be read of its own files, by SHA-256, and the names of people
    on file who have nothing to do with it; and the addresses on file for its recipient."""

    contents: Mapping[str, str] = {}
    strangers: tuple[str, ...] = ()
    on_file: tuple[str, ...] = ()


NO_OTHERS = Others()


class Writer(Struct, frozen=True):
    """Who writes, when (an aware datetime), with which answers from last time, which letters went
    lately, the newest first, what is known of others in the letter, and the addresses, in small
    letters, that are the writer's own to send from."""

    moment: datetime
    me: Member | None = None
    answers: Answers = field(default_factory=dict)
    entries: Sequence[Registered] = ()
    others: Others = NO_OTHERS
    own: frozenset[str] = frozenset()


class Examined(Struct, frozen=True):
    """A letter as it is at a moment, with its values and what the checks find in it."""

    letter: Letter
    particulars: tuple[Particular, ...] = ()
    findings: tuple[Finding, ...] = ()


def begin_for(
    catalogue: Catalogue,
    template: Template,
    letter_id: str,
    *,
    recipient: Contact | None = None,
    case: Case | None = None,
    language: str = "",
) -> Letter:
    """Take a template for a letter to somebody about something; a case that is not theirs is left
    out.

    It remembers template and edition, and speaks the recipient's language unless one is given.
    """
    case = belonging(recipient, case)
    return letters.start(
        letter_id,
        catalogue.included(template.content),
        template=template.id,
        edition=template.edition,
        title=template.title,
        recipient=recipient,
        case=case,
        language=language,
    )


def belonging(
    recipient: Contact | None, case: Case | None, only: Case | None = None
) -> Case | None:
    """The case that a letter to somebody is about: the one it is about, unless that is somebody
    else's; where there is none, the only one they have. A case of somebody else never gets into a
    letter."""
    if recipient is None:
        return case
    if case and recipient.is_on_file and not case.is_about(recipient):
        case = None
    return case or only


def world_for(catalogue: Catalogue, letter: Letter, writer: Writer) -> World:
    """What the values of a letter can come from."""
    return catalogue.world(
        writer.moment,
        writer.me,
        letter.language,
        letter.recipient,
        letter.case,
        letter.calendar,
        writer.answers.get(letter.template),
        letters.also_to(letter),
    )


def examine(catalogue: Catalogue, letter: Letter, writer: Writer) -> Examined:
    """Work a letter out as it is for this writer at this moment, and check it."""
    world = world_for(catalogue, letter, writer)
    letter, particulars = letters.work_out(letter, world)
    findings = checks.check(
        letter,
        particulars,
        catalogue.files.__contains__,
        lambda file: catalogue.expired(file, world.today),
        catalogue.frame(letter.frame) if letter.frame else None,
        about_letter(catalogue, letter, writer, world.today),
        catalogue.grades,
    )
    return Examined(letter, particulars, findings)


def about_letter(catalogue: Catalogue, letter: Letter, writer: Writer, today: date) -> About:
    """What the checks go by beside a letter itself."""
    template = catalogue.templates.get(letter.template)
    domains = {m.email.rpartition("@")[2].casefold() for m in catalogue.members.values()}
    return About(
        today,
        catalogue.calendar,
        writer.me.email if writer.me else "",
        tuple(sorted(domains - {""})),
        template.content.kinds if template else (),
        _lately(catalogue, letter, writer),
        writer.me.name if writer.me else "",
        # Of a template, a lead has decided how it ends.
        "" if letter.template else body.write(signature_of(writer.me).blocks(letter.language)),
        writer.others.contents,
        writer.others.strangers,
        writer.others.on_file,
        _barred(catalogue, writer),
    )


def _barred(catalogue: Catalogue, writer: Writer) -> dict[str, str]:
    """The team's mailboxes that somebody may send from, and the writer may not, with whose they
    are."""
    whose: dict[str, list[str]] = {}
    for member in catalogue.members.values():
        for spec in () if member.left else member.mailboxes:
            whose.setdefault(spec.casefold(), []).append(member.name)
    return {
        spec: ", ".join(names) for spec, names in whose.items()
        if not (writer.me and writer.me.may_send_from(spec))
    }  # fmt: skip


def _lately(catalogue: Catalogue, letter: Letter, writer: Writer) -> tuple[Earlier, ...]:
    """The letters with a letter's template that went to its recipient lately."""
    recipient = letter.recipient
    if recipient is None or not letter.template or not recipient.email:
        return ()
    since, address = writer.moment - LATELY, recipient.email.casefold()
    found = []
    for entry in writer.entries:
        if entry.sent < since:
            break
        if entry.template == letter.template and entry.address.casefold() == address:
            member = catalogue.members.get(entry.sender)
            day = entry.sent.astimezone(writer.moment.tzinfo).date()
            found.append(Earlier(day, member.name if member else entry.sender))
    return tuple(found)


def in_the_way(findings: Iterable[Finding], acknowledged: Collection[str]) -> tuple[Finding, ...]:
    """The findings that keep a letter or a template back: every stop, and every doubt whose key
    nobody has acknowledged."""
    return tuple(
        f
        for f in findings
        if f.severity == "stop" or (f.severity == "doubt" and f.key not in acknowledged)
    )


def may_go(examined: Examined, acknowledged: Collection[str] = ()) -> bool:
    """Whether a letter may go, with the doubts that somebody has acknowledged."""
    return not in_the_way(examined.findings, acknowledged)


def examine_template(catalogue: Catalogue, content: Content, world: World) -> tuple[Finding, ...]:
    """What the checks find in a template; world is that of an example."""
    return checks.check_content(
        catalogue.included(content),
        world,
        catalogue.frame(content.frame),
        lambda file: catalogue.expired(file, world.today),
    )

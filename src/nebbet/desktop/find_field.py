"""The band's find field: templates, people, cases, arrived messages and register entries
together."""

from datetime import datetime

from nebbet.core.message.head import Head
from nebbet.core.records import Matter, Person, fold
from nebbet.core.sentences import said
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.session import choices
from nebbet.desktop.session.arrived import ArrivedMail
from nebbet.desktop.session.choices import Show
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.people import People

_EACH = 6


def everything(shared: SharedLibrary, mail: ArrivedMail, words: str, show: Show) -> None:
    """Show what the words find, in groups, once it is found; keys are "kind:" and an id."""
    if not words.strip():
        show([])
        return

    def read(people: People) -> tuple[list[Person], list[Matter]]:
        return people.find_people(words, _EACH), people.find_cases(words, most=_EACH)

    def done(found: tuple[list[Person], list[Matter]]) -> None:
        show(_in_groups(shared, mail, words, *found))

    shared.people.ask(read, done, asker="find")


def _in_groups(
    shared: SharedLibrary,
    mail: ArrivedMail,
    words: str,
    people: list[Person],
    matters: list[Matter],
) -> list[Choice]:
    shared.people.meet(people)
    shared.people.take_up(matters)
    templates = shared.search.templates(words)
    found = {
        "template": choices.found_templates(shared, words, templates, retired=True),
        "person": [choices.person_choice(one.contact) for one in people],
        "case": [choices.matter_choice(one) for one in matters],
        "arrived": [_arrived(head) for head in mail.find(words, _EACH)],
        "sent": _sent(shared, words),
    }
    # What was meant comes first: a case by its number; and what has all words before what has some.
    if any(fold(one.case.number) == fold(words.strip()) for one in matters):
        found = {"case": found["case"], **found}
    elif templates.partly:
        found["template"] = found.pop("template")
    titles = {
        "template": said("Templates"),
        "person": said("People"),
        "case": said("Cases"),
        "arrived": said("Arrived"),
        "sent": said("Register"),
    }
    shown: list[Choice] = []
    for kind, group in found.items():
        if group:
            shown.append(Choice("", titles[kind], heading=True))
            shown += [one._replace(key=f"{kind}:{one.key}") for one in group[:_EACH]]
    if mail.looked_into:
        shown.append(Choice(f"mailbox:{words}", said("Look in the texts of the mailbox, too")))
    return shown


def in_mailboxes(heads: list[Head]) -> list[Choice]:
    """What was found in the texts of mailboxes."""
    found = [_arrived(head) for head in heads]
    return [
        Choice("", said("In the mailbox"), heading=True),
        *(one._replace(key=f"arrived:{one.key}") for one in found),
    ]


def _arrived(head: Head) -> Choice:
    sender, day = head.fields.sender, datetime.fromtimestamp(head.came)
    name = sender.name or sender.spec or said("Nobody")
    return Choice(head.key, name, head.fields.subject, f"{day:%d %b %Y}")


def _sent(shared: SharedLibrary, words: str) -> list[Choice]:
    by_key = {entry.message_id: entry for entry in shared.entries}
    return [
        Choice(
            key,
            by_key[key].name or by_key[key].address,
            by_key[key].subject,
            f"{by_key[key].sent.astimezone():%d %b %Y}",
        )
        for key in shared.search.sent(words)[: choices.MOST]
    ]

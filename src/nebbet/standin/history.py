"""The demo's past: letters that the desk sent in the last weeks, made from a seed."""

import mailbox
import random
import tomllib
from collections import Counter
from collections.abc import Iterator
from datetime import date, datetime, timedelta
from importlib.resources import files
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from nebbet.core import letter as letters
from nebbet.core.message.compose import with_bcc
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.records import Case, Contact, Member
from nebbet.core.values import from_json, to_json
from nebbet.library.catalogue import Catalogue
from nebbet.library.entries import Registered
from nebbet.library.holdings import Template
from nebbet.library.store import Library
from nebbet.library.writing import Writer, begin_for, examine
from nebbet.post.sending import finish

LETTERS = 600
WEEKS = 65  # fifteen months
_EVERY = 10_000  # cases: more than the demo has


_PATIENCE = 400  # letters that are passed over before one more about the same may go


def fill_history(library: Library, mail: Path, now: datetime, seed: int = 1) -> None:
    """Send letters in the past: each lies in its sender's Sent folder and in the register."""
    chance = random.Random(seed)
    catalogue = library.catalogue(now)
    encoded = EncodedFiles(library.file_bytes)
    matters = [one.case for one in library.people.case_page(size=_EVERY).rows]
    matters.sort(key=lambda case: case.id)
    people = library.people.contacts({case.contact for case in matters})
    made = list(_letters(catalogue, (matters, people), encoded, now, chance))
    for entry, user, data in made:
        folder = mailbox.Maildir(mail / user, create=True)
        sent = folder.get_folder("Sent") if "Sent" in folder.list_folders() else None
        message = mailbox.MaildirMessage(data)
        message.set_subdir("cur")
        message.set_flags("S")
        message.set_date(entry.sent.timestamp())
        (sent if sent is not None else folder.add_folder("Sent")).add(message)
    library.record([entry for entry, _user, _data in made])


def _letters(
    catalogue: Catalogue,
    about: tuple[list[Case], dict[str, Contact]],
    encoded: EncodedFiles,
    now: datetime,
    chance: random.Random,
) -> Iterator[tuple[Registered, str, bytes]]:
    """Letters with their register entry and the mailbox they were sent from."""
    text = (files("nebbet.standin") / "world" / "history.toml").read_text("utf-8")
    habits = tomllib.loads(text)
    names = list(habits)
    weights = [habits[name]["weight"] for name in names]
    members = list(catalogue.members.values())
    matters, people = about
    made, told = 0, Counter[tuple[str, str]]()
    often, passed = 1, 0
    while made < LETTERS:
        name = chance.choices(names, weights)[0]
        cases = [c for c in matters if _is_for(habits[name], c, now.date())]
        # Nobody cancels the same sailing twice, as long as there are others.
        fewest = min(told[name, c.id] for c in cases)
        if fewest >= often:
            passed += 1
            often += passed % _PATIENCE == 0
            continue
        case = chance.choice([c for c in cases if told[name, c.id] == fewest])
        member = chance.choice(members)
        contact = people[case.contact]
        ago = timedelta(days=round(chance.triangular(0, WEEKS * 7, 0)))
        case = _moved(case, ago)
        sent = (now - ago).replace(hour=chance.randrange(8, 18), minute=chance.randrange(60))
        template = catalogue.templates[name]
        if contact.email and sent < now:
            answers = _answers(habits[name], chance)
            token = f"past{made:04}"
            made += 1
            told[name, case.id] += 1
            yield _letter(
                catalogue, encoded, template, (contact, case, member), answers, sent, token
            )


def _is_for(habit: dict[str, Any], case: Case, today: date) -> bool:
    """Whether a template answers a case: by its kind, and by the days that are left."""
    least, most = habit.get("days", (-_EVERY, _EVERY))
    sailing = from_json(case.fields.get("sailing", ""))
    left = (sailing.date() - today).days if isinstance(sailing, datetime) else 0
    return case.kind in habit["kinds"] and least <= left <= most


def _moved(case: Case, ago: timedelta) -> Case:
    """A case as it was then: its days lie as far from that day as they do from today."""
    fields = {}
    for name, raw in case.fields.items():
        value = from_json(raw)
        fields[name] = to_json(value - ago) if isinstance(value, date) else raw
    return replace(case, fields=fields)


def _answers(habit: dict[str, Any], chance: random.Random) -> dict[str, str]:
    return {
        name: chance.choice(texts)
        for name, texts in habit.items()
        if name not in ("kinds", "weight", "days")
    }


def _letter(
    catalogue: Catalogue,
    encoded: EncodedFiles,
    template: Template,
    about: tuple[Contact, Case, Member],
    answers: dict[str, str],
    sent: datetime,
    token: str,
) -> tuple[Registered, str, bytes]:
    contact, case, member = about
    writer = Writer(sent, member)
    letter = begin_for(catalogue, template, token, recipient=contact, case=case)
    for name, text in answers.items():
        letter = letters.answer(letter, name, text)
    examined = examine(catalogue, letter, writer)
    count = iter(range(100))
    item = finish(
        catalogue,
        examined,
        writer,
        token=lambda: f"{token}{next(count)}",
        files=encoded,
        acknowledged={finding.key for finding in examined.findings},
    )
    return item.entry, member.email, with_bcc(item.outgoing.data, item.outgoing.bcc)

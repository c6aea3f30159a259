"""The verbs that need a library: check, render, find, outbox."""

import hashlib
import html
import json
import sys
import time
from datetime import date, datetime
from pathlib import Path
from secrets import token_hex

import click
import msgspec
from msgspec.structs import replace

from nebbet.cli import main as commands
from nebbet.core import addresses, body, checks, inline, ranking
from nebbet.core import letter as letters
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Attachment, Letter
from nebbet.core.message import exporting
from nebbet.core.message.compose import compose, with_bcc
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.message.importing import MOST_LINES, with_blanks
from nebbet.core.message.received import LARGEST, open_message
from nebbet.core.records import Case, Contact, Member, contact_for, fold
from nebbet.library import entries, register
from nebbet.library.catalogue import (
    Catalogue,
    Template,
    begin,
    seen_by,
)
from nebbet.library.disk import read_file, write_file
from nebbet.library.intake import take_in
from nebbet.library.search import contact_entries, make_finder
from nebbet.library.store import Library, open_library
from nebbet.personal import outbox as outboxes
from nebbet.personal import own_templates
from nebbet.personal.home import make_home
from nebbet.personal.secrets import KeyringSecrets
from nebbet.personal.settings import Settings, read_settings
from nebbet.personal.stores import reached, without_password
from nebbet.personal.tables import open_personal
from nebbet.post import carrier


def _open() -> tuple[Library, Settings]:
    home = commands.home()
    secrets = KeyringSecrets()
    settings = without_password(home, read_settings(home.settings_file), secrets)
    path = reached(home, settings, secrets)
    if isinstance(path, Path) and not path.exists():
        raise NebbetError(
            f"There is no library at {path}",
            advice="Open the window once, or set NEBBET_HOME to the folder that has one",
        )
    return open_library(path), settings


def _now() -> datetime:
    return datetime.now().astimezone()


@click.command()
@click.argument("template")
@click.option("--to", default="", metavar="A", help="a contact's name or address")
@click.option("--case", "about", default="", metavar="C", help="a case number")
@click.option("--set", "answers", multiple=True, metavar="NAME=VALUE", help="complete a blank")
@commands.on_day
@click.option("--lang", default="", metavar="L", help="language of the text")
@click.option("-o", "--output", default="", metavar="OUT.eml", help="write there")
@commands.overwrite
@click.pass_context
def render(
    ctx: click.Context,
    template: str,
    to: str,
    about: str,
    answers: tuple[str, ...],
    on: date,
    lang: str,
    output: str,
    overwrite: bool,
) -> None:
    """Complete a template and write the whole message (.eml); nothing is sent."""
    library, settings = _open()
    now = _now()
    catalogue = seen_by(library.catalogue(now), settings.member)
    me = _me(catalogue, settings)
    letter = _started(catalogue, template, to, about, lang)
    for pair in answers:
        name, given, text = pair.partition("=")
        if not given:
            raise NebbetError(f"“{pair}” sets nothing", advice="Write --set name=value")
        letter = letters.answer(letter, name, text)
    moment = datetime.combine(on, now.timetz())
    world = catalogue.world(
        moment, me, letter.language, letter.recipient, letter.case, letter.calendar
    )
    letter, found = letters.work_out(letter, world)
    findings = checks.check(
        letter, found, catalogue.files.__contains__, lambda file: catalogue.expired(file, on)
    )
    for finding in findings:
        click.echo(f"{finding.severity}: {finding.sentence}", err=True)
    wanted = {fold(particular.name) for particular in found}
    unknown = {fold(pair.partition("=")[0]) for pair in answers} - wanted
    for name in sorted(unknown):
        click.echo(f"note: the template has no placeholder “{name}”", err=True)
    if checks.worst(findings) == "stop":
        ctx.exit(1)
    frame = catalogue.frame(letter.frame)
    files = EncodedFiles(library.file_bytes)
    outgoing = compose(
        letter, me, now=moment, token=lambda: token_hex(12), frame=frame, files=files
    )
    _write(with_bcc(outgoing.data, outgoing.bcc), output, overwrite=overwrite)


@click.command()
@click.argument("what", metavar="T|FILE.eml")
@commands.as_json
@click.pass_context
def check(ctx: click.Context, what: str, as_json: bool) -> None:
    """Check a template of the library, or a message in a file; exit code 1 if there is a stop."""
    if what.casefold().endswith(".eml"):
        found = checks.check(_letter_in(what), (), lambda _file: True)
    else:
        library, settings = _open()
        catalogue = seen_by(library.catalogue(_now()), settings.member)
        content = _template(catalogue, what).content
        me = catalogue.members.get(settings.member)
        world = catalogue.world(_now(), me, next(iter(content.texts)), calendar=content.calendar)
        found = checks.check_content(catalogue.included(content), world)
    if as_json:
        rows = [
            {"rule": f.rule, "severity": f.severity, "part": f.part, "sentence": f.sentence}
            for f in found
        ]
        click.echo(json.dumps(rows, ensure_ascii=False))
    else:
        for finding in found:
            click.echo(f"{finding.severity}: {finding.sentence}")
        if not found:
            click.echo("nothing found")
    ctx.exit(1 if checks.worst(found) == "stop" else 0)


@click.command("import")
@click.argument("files", nargs=-1, required=True, metavar="FILE...")
@click.option("--shelf", default="", metavar="S", help="name of the shelf; the first one otherwise")
@click.option("--finished", is_flag=True, help="keep the look that the file has (.eml, .html)")
@commands.language
@click.pass_context
def import_files(
    ctx: click.Context, files: tuple[str, ...], shelf: str, finished: bool, lang: str
) -> None:
    """Make templates of messages, pages and notes. They are drafts until somebody puts them in
    use; bracketed prompts become blanks. A pack (.zip) is merged into the library. Exit code 1 if
    one could not be taken."""
    library, settings = _open()
    packs = [name for name in files if name.casefold().endswith(".zip")]
    for name in packs:
        for line in _take_pack(library, Path(name), settings.member):
            click.echo(line)
    files = tuple(name for name in files if name not in packs)
    if not files:
        return
    found = _shelf(library.catalogue(_now()), shelf)
    drafts = open_personal(commands.home().personal_file)
    failed = False
    for name in files:
        try:
            taken = take_in(
                library, Path(name), found, token_hex(12), language=lang, finished=finished
            )
        except NebbetError as error:
            click.echo(f"nebbet: {error.sentence}", err=True)
            failed = True
            continue
        draft = replace(taken.draft, content=with_blanks(taken.draft.content))
        own_templates.keep_draft(drafts, taken.id, msgspec.json.encode(draft))
        click.echo(f"{taken.id}  {draft.title}")
        if taken.removed:
            click.echo(f"taken out: {', '.join(taken.removed)}", err=True)
    ctx.exit(1 if failed else 0)


def _take_pack(library: Library, path: Path, member: str) -> list[str]:
    from nebbet.library.packs import read_pack, take_pack

    author = member if member in library.catalogue(_now()).members else ""
    return take_pack(library, read_pack(path), author=author, made=_now())


def _shelf(catalogue: Catalogue, name: str) -> str:
    for shelf in catalogue.shelves:
        if not name or fold(shelf.name) == fold(name) or shelf.id == name:
            return shelf.id
    raise NebbetError(
        f"There is no shelf “{name}”" if name else "The library has no shelf yet",
        advice="Put one up in the window first",
    )


@click.command()
@click.argument("template", default="")
@click.option("--html", "as_html", is_flag=True, help="the HTML alone, not a message")
@click.option("--pack", default="", metavar="FILE.zip", help="the whole library, as a pack")
@click.option("--lang", default="", metavar="L", help="language of the text")
@click.option("-o", "--output", default="", metavar="FILE", help="write there")
@commands.overwrite
def export(
    template: str, as_html: bool, pack: str, lang: str, output: str, overwrite: bool
) -> None:
    """Write a template as a message (.eml) or as HTML, with its {{placeholders}}; or the whole
    library as a pack."""
    library, settings = _open()
    catalogue = seen_by(library.catalogue(_now()), settings.member)
    if pack:
        from nebbet.library.packs import write_pack

        count = write_pack(library, catalogue, Path(pack), overwrite=overwrite)
        click.echo(f"{count} templates in {pack}")
        return
    found = _template(catalogue, template)
    content = catalogue.included(found.content)
    frame, files = catalogue.frame(content.frame), EncodedFiles(library.file_bytes)
    if as_html:
        _write(
            exporting.as_html(content, frame, files, lang).encode("utf-8"),
            output,
            overwrite=overwrite,
        )
        return
    me = catalogue.members.get(settings.member)
    data = exporting.as_message(
        content, me, frame, files, lang, now=_now(), token=lambda: token_hex(12)
    )
    _write(data, output, overwrite=overwrite)


def _letter_in(path: str) -> Letter:
    """A message in a file, as the letter that the checks can read."""
    data = read_file(Path(path), f"The message {path}", largest=LARGEST)
    received = open_message(data)
    to, _ = addresses.read(received.to)
    text = received.html or "".join(
        f"<p>{html.escape(line)}</p>" for line in received.plain.splitlines()[:MOST_LINES]
    )
    return Letter(
        "",
        subject=(received.subject,),
        # Nothing will fill what still stands in braces: it goes out as it is.
        body=body.completed(body.read(text), lambda slot: inline.source((slot,))),
        cc=(received.cc,),
        bcc=(received.bcc,),
        recipient=contact_for("", to[0].name, to[0].spec) if to else None,
        attachments=tuple(
            Attachment(hashlib.sha256(data).hexdigest(), (name,), size=len(data))
            for name, data in received.attachments
        ),
    )


def _me(catalogue: Catalogue, settings: Settings) -> Member:
    me = catalogue.members.get(settings.member)
    if me is None:
        raise NebbetError(
            "Nebbet does not know who you are", advice="Complete your profile in the window first"
        )
    return me


def _started(catalogue: Catalogue, template: str, to: str, about: str, lang: str) -> Letter:
    case = _case(catalogue, about) if about else None
    contact = _contact(catalogue, to) if to else None
    if contact is None and case:
        contact = catalogue.contacts.get(case.contact)
    found = _template(catalogue, template)
    return begin(catalogue, found, "", recipient=contact, case=case, language=lang)


def _template(catalogue: Catalogue, words: str) -> Template:
    if words in catalogue.templates:
        return catalogue.templates[words]
    found = make_finder(catalogue, _now()).templates.find(words)
    if not found:
        raise NebbetError(
            f"No template is called “{words}”", advice="nebbet find shows what there is"
        )
    return catalogue.templates[found[0]]


def _contact(catalogue: Catalogue, words: str) -> Contact:
    for contact in catalogue.contacts.values():
        if contact.email.casefold() == words.casefold():
            return contact
    address = addresses.one(words)
    if isinstance(address, addresses.Address):
        return contact_for("", address.name, address.spec)
    found = ranking.find(words, contact_entries(catalogue))
    if not found:
        raise NebbetError(
            f"“{words}” is neither a known person nor a mail address: {address.reason}",
            advice="Give a name from the contacts, or a whole address",
        )
    return catalogue.contacts[found[0]]


def _case(catalogue: Catalogue, number: str) -> Case:
    for case in catalogue.cases.values():
        if fold(case.number) == fold(number):
            return case
    raise NebbetError(f"There is no case “{number}”", advice="nebbet find shows what there is")


def _write(data: bytes, output: str, *, overwrite: bool) -> None:
    if not output or output == "-":
        sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()
        return
    write_file(Path(output), data, overwrite=overwrite, kept="Nothing was sent")


@click.command()
@click.argument("words", nargs=-1, required=True)
@commands.as_json
@click.pass_context
def find(ctx: click.Context, words: tuple[str, ...], as_json: bool) -> None:
    """Find templates, contacts, cases and register entries."""
    library, settings = _open()
    catalogue = seen_by(library.catalogue(_now()), settings.member)
    wanted = " ".join(words)
    finder = make_finder(catalogue, _now())
    sent = register.entries(library)
    by_id = {entry.message_id: entry for entry in sent}
    rows = [
        *(
            ("template", catalogue.templates[key].id, catalogue.templates[key].title)
            for key in finder.templates.find(wanted)
        ),
        *(
            ("contact", catalogue.contacts[key].email, catalogue.contacts[key].name)
            for key in finder.contacts.find(wanted)
        ),
        *(
            ("case", catalogue.cases[key].number, catalogue.cases[key].title)
            for key in finder.cases.find(wanted)
        ),
        *(
            ("sent", key, f"{by_id[key].name}: {by_id[key].subject}")
            for key in ranking.find(wanted, entries.find_entries(sent))
        ),
    ]
    if as_json:
        named = [dict(zip(("kind", "key", "text"), row, strict=True)) for row in rows]
        click.echo(json.dumps(named, ensure_ascii=False))
    else:
        for kind, key, text in rows:
            click.echo(f"{kind:9} {key:34} {text}")
    ctx.exit(0 if rows else 1)


@click.command()
@click.option("--deliver", is_flag=True, help="deliver what is due now")
@commands.as_json
@click.pass_context
def outbox(ctx: click.Context, deliver: bool, as_json: bool) -> None:
    """Show what waits in the outbox; exits 1 when a letter needs you."""
    home = commands.home()
    make_home(home)
    personal = open_personal(home.personal_file)
    if deliver:
        library, settings = _open()
        office = carrier.Office(personal, library, settings.account, KeyringSecrets(), time.time)
        carrier.deliver_due(office)
        for error in office.stuck:
            click.echo(f"nebbet: {error.sentence}", err=True)
    left = outboxes.queued(personal)
    rows = [
        {
            "id": entry.item.id,
            "to": entry.item.entry.address,
            "subject": entry.item.outgoing.subject,
            "state": entry.state,
            "due": datetime.fromtimestamp(entry.due).astimezone().isoformat(timespec="seconds"),
            "words": entry.words,
        }
        for entry in left
    ]
    if as_json:
        click.echo(json.dumps(rows, ensure_ascii=False))
    elif not rows:
        click.echo("The outbox is empty.")
    for row in [] if as_json else rows:
        click.echo(f"{row['state']:9} {row['due']}  {row['to']}  {row['subject']}")
        if row["words"]:
            click.echo(f"          {row['words']}")
    needs = any(entry.state in ("refused", "uncertain") for entry in left)
    ctx.exit(1 if needs else 0)

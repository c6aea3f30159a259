"""The verbs that write a letter or look through one: render, check."""

import hashlib
import html
import json
from datetime import date, datetime
from pathlib import Path

import click

from nebbet.cli.here import Here, chance, open_here
from nebbet.cli.options import as_json, on_day, overwrite, text_language, write_output
from nebbet.cli.whom import whom
from nebbet.core import addresses, body, checks, inline
from nebbet.core import letter as letters
from nebbet.core.dates import zone_of
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Attachment, Letter
from nebbet.core.message.compose import with_bcc
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.message.importing import MOST_LINES
from nebbet.core.message.received import LARGEST, open_message
from nebbet.core.records import contact_for, fold
from nebbet.library.disk import read_file
from nebbet.library.examples import example_world
from nebbet.library.writing import Examined, begin_for, examine, examine_template, may_go
from nebbet.post.sending import finish


@click.command()
@click.argument("template")
@click.option("--to", default="", metavar="A", help="a contact's name or address")
@click.option("--case", "about", default="", metavar="C", help="a case number")
@click.option("--set", "answers", multiple=True, metavar="NAME=VALUE", help="complete a blank")
@on_day
@text_language
@click.option("-o", "--output", default="", metavar="OUT.eml", help="write there")
@overwrite
@click.pass_context
def render(
    ctx: click.Context,
    template: str,
    to: str,
    about: str,
    answers: tuple[str, ...],
    on: date | None,
    lang: str,
    output: str,
    overwrite: bool,
) -> None:
    """Complete a template and write the whole message (.eml); nothing is sent."""
    run = chance(ctx)
    now = run.now()
    here = open_here(now)
    writer = here.writer(_on_that_day(now, on, here.catalogue.calendar.zone) if on else now)
    letter = _started(here, template, to, about, lang, now)
    for name, text in map(_answer, answers):
        letter = letters.answer(letter, name, text)
    examined = examine(here.catalogue, letter, writer)
    _tell(examined, answers)
    told = {finding.key for finding in examined.findings}
    if not may_go(examined, told):
        ctx.exit(1)
    item = finish(
        here.catalogue,
        examined,
        writer,
        token=run.token,
        files=EncodedFiles(here.library.file_bytes),
        acknowledged=told,
    )
    outgoing = item.outgoing
    write_output(with_bcc(outgoing.data, outgoing.bcc), output, overwrite=overwrite)


def _on_that_day(now: datetime, day: date, zone: str) -> datetime:
    """This time of day on another day, as the team's clocks have it on that day."""
    if not zone:
        return datetime.combine(day, now.astimezone().time()).astimezone()
    place = zone_of(zone)
    return datetime.combine(day, now.astimezone(place).time(), place)


def _answer(pair: str) -> tuple[str, str]:
    name, given, text = pair.partition("=")
    if not given:
        raise NebbetError(f"“{pair}” sets nothing", advice="Write --set name=value")
    return name, text


def _tell(examined: Examined, answers: tuple[str, ...]) -> None:
    for finding in examined.findings:
        click.echo(f"{finding.severity}: {finding.sentence}", err=True)
    wanted = {fold(particular.name) for particular in examined.particulars}
    unknown = {fold(pair.partition("=")[0]) for pair in answers} - wanted
    for name in sorted(unknown):
        click.echo(f"note: the template has no placeholder “{name}”", err=True)


@click.command()
@click.argument("what", metavar="T|FILE.eml")
@as_json
@click.pass_context
def check(ctx: click.Context, what: str, as_json: bool) -> None:
    """Check a template of the library, or a message in a file; exit code 1 if there is a stop."""
    if what.casefold().endswith(".eml"):
        found = checks.check(_letter_in(what), (), lambda _file: True)
    else:
        now = chance(ctx).now()
        here = open_here(now)
        template = here.template(what, now)
        world = example_world(here.catalogue, template, here.writer(now))
        found = examine_template(here.catalogue, template.content, world)
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


def _started(here: Here, template: str, to: str, about: str, lang: str, now: datetime) -> Letter:
    catalogue = here.catalogue
    found = whom(here.library.people, to, about)
    if found.wrong:
        raise found.wrong[0]
    person, matter = found.person, found.matter
    case = matter.case if matter else None
    contact = person.contact if person else matter.contact if matter else None
    if case is None and person:
        case = person.case
    chosen = here.template(template, now)
    return begin_for(catalogue, chosen, "", recipient=contact, case=case, language=lang)

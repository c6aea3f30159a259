"""The verbs that show what there is: find, suggest, outbox."""

import json
from datetime import datetime
from pathlib import Path

import click

from nebbet.cli import delivering
from nebbet.cli.here import chance, open_here
from nebbet.cli.options import as_json, home
from nebbet.core.message.answering import arrived, asked_in
from nebbet.core.message.received import LARGEST, open_message
from nebbet.library import register
from nebbet.library.about_message import about_message
from nebbet.library.disk import read_file
from nebbet.library.register_finding import Wanted
from nebbet.library.remarks import lessons
from nebbet.library.search import make_finder
from nebbet.library.suggesting import kinds_of, suggester_of
from nebbet.personal import outbox as outboxes
from nebbet.personal.home import make_home
from nebbet.personal.items import Queued
from nebbet.personal.tables import open_personal

_HELD = "waits until its round is released"


@click.command()
@click.argument("words", nargs=-1, required=True)
@as_json
@click.pass_context
def find(ctx: click.Context, words: tuple[str, ...], as_json: bool) -> None:
    """Find templates, people, cases and register entries."""
    now = chance(ctx).now()
    here = open_here(now)
    catalogue = here.catalogue
    wanted = " ".join(words)
    finder = make_finder(catalogue, now)
    sent = register.page(here.library.register_engine, Wanted(wanted)).rows
    rows = [
        *(
            ("template", catalogue.templates[key].id, catalogue.templates[key].title)
            for key in finder.templates.find(wanted)
        ),
        *(
            ("person", one.contact.email, one.contact.name)
            for one in here.library.people.find_people(wanted)
        ),
        *(
            ("case", one.case.number, one.case.title)
            for one in here.library.people.find_cases(wanted)
        ),
        *(("sent", entry.message_id, f"{entry.name}: {entry.subject}") for entry in sent),
    ]
    if as_json:
        named = [dict(zip(("kind", "key", "text"), row, strict=True)) for row in rows]
        click.echo(json.dumps(named, ensure_ascii=False))
    else:
        for kind, key, text in rows:
            click.echo(f"{kind:9} {key:34} {text}")
    ctx.exit(0 if rows else 1)


@click.command()
@click.argument("file", metavar="FILE.eml", required=False)
@click.option("--forget", metavar="TEMPLATE", help="forget what was learned of it; “all” for all")
@as_json
@click.pass_context
def suggest(ctx: click.Context, file: str | None, forget: str | None, as_json: bool) -> None:
    """Suggest the templates that answer a message best; exits 1 where none fits. What the team
    answered to messages like it counts, until it is forgotten."""
    if forget:
        here = open_here(chance(ctx).now())
        template = "" if forget == "all" else here.template(forget, chance(ctx).now()).id
        count = here.library.forget(template)
        click.echo(f"What was learned from {count} answers is forgotten.")
        return
    if file is None:
        raise click.UsageError("a message is needed, or --forget")
    data = read_file(Path(file), f"The message {file}", largest=LARGEST)
    fields, received = arrived(data), open_message(data)
    here = open_here(chance(ctx).now())
    about = about_message(here.library.people, fields, received)
    asked = asked_in(fields, received)
    learned = lessons(here.library.register_engine)
    found = suggester_of(here.catalogue, learned).suggest(asked, kinds_of(about.cases))
    titles = {one.key: here.catalogue.templates[one.key].title for one in found}
    if as_json:
        rows = [
            {"template": one.key, "title": titles[one.key], "score": one.score,
             "words": list(one.words)}
            for one in found
        ]  # fmt: skip
        click.echo(json.dumps(rows, ensure_ascii=False))
    else:
        for one in found:
            click.echo(f"{one.score:.3f}  {titles[one.key]}  ({', '.join(one.words)})")
        if not found:
            click.echo("No template fits.")
    ctx.exit(0 if found else 1)


@click.command()
@click.option("--deliver", is_flag=True, help="deliver what is due now")
@as_json
@click.pass_context
def outbox(ctx: click.Context, deliver: bool, as_json: bool) -> None:
    """Show what waits in the outbox; exits 1 when a letter needs you."""
    make_home(home())
    personal = open_personal(home().personal_file)
    if deliver:
        delivering.deliver(open_here(chance(ctx).now()), personal)
    left = outboxes.queued(personal)
    rows = [
        {
            "id": entry.item.id,
            "to": entry.item.entry.address,
            "subject": entry.item.outgoing.subject,
            "state": entry.state,
            "due": _due(entry),
            "words": entry.words or (_HELD if entry.waits_for_release else ""),
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


def _due(entry: Queued) -> str:
    """When a letter goes; empty for one that waits for somebody's word."""
    if entry.waits_for_release:
        return ""
    return datetime.fromtimestamp(entry.due).astimezone().isoformat(timespec="seconds")

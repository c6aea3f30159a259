"""The verb that writes one letter to each row of a table: round."""

import json
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from pathlib import Path

import click
from msgspec.structs import replace

from nebbet.cli.delivering import deliver
from nebbet.cli.here import Here, chance, open_here
from nebbet.cli.options import as_json, home, text_language
from nebbet.core.errors import NebbetError
from nebbet.core.message.compose import with_bcc
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.records import fold
from nebbet.core.records.incoming import days_first
from nebbet.core.records.tables import ReadTable, TableRow
from nebbet.core.rounds import ROLES, Choosing, Matches, Twice, chosen, propose
from nebbet.core.rounds.matching import VALUE
from nebbet.core.rounds.pacing import Pace, read_days, read_hours
from nebbet.library.disk import write_file
from nebbet.library.holdings import Template
from nebbet.library.round_ledger import Round, name_of_round
from nebbet.library.round_links import USUAL, links_of, write_links
from nebbet.library.round_snapshot import snapshot_of
from nebbet.library.round_tables import Origin, take
from nebbet.library.rounds import RowLetter as Row
from nebbet.library.rounds import Source, look, names_of, over_all, unused, with_findings
from nebbet.library.writing import Writer
from nebbet.personal.home import make_home
from nebbet.personal.tables import open_personal
from nebbet.post.rounds import files_in, finished, start, take_files


@click.command("round")
@click.argument("table", metavar="TABLE")
@click.option("--template", required=True, metavar="T", help="the template of the letters")
@click.option("--match", "pairs", multiple=True, metavar="COLUMN=ROLE",
              help="what a column is for: to, cc, bcc, also, from, name, first_name, last_name, "
                   "title, language, case, files, or a placeholder; empty: not used")  # fmt: skip
@click.option("--say", "said_once", multiple=True, metavar="BLANK=TEXT",
              help="what holds for every row whose columns do not say it")  # fmt: skip
@click.option("--rows", default="", metavar="1-20,35", help="which rows, by their places")
@click.option("--words", default="", metavar="WORDS", help="rows with these words alone")
@click.option("--where", default="", metavar="CONDITION", help="rows for which this holds")
@click.option("--files", "folder", default="", metavar="DIR", help="where the named files lie")
@click.option("--sheet", default="", help="which sheet of a workbook")
@click.option("--encoding", default="", help="of a CSV file, where it is not found")
@click.option("--delimiter", default="", help="of a CSV file, where it is not found")
@text_language
@click.option("--look", "how", flag_value="look", default=True, help="only look (usual)")
@click.option("--out", "out", default="", metavar="DIR", help="write the messages there")
@click.option("--links", default="", metavar="FILE", help="write a mailto link for each row into "
              "an XLSX, CSV or HTML file")  # fmt: skip
@click.option("--longest", default=USUAL, metavar="CHARACTERS", help="that a link may have")
@click.option("--go", "how", flag_value="go", help="put them into the outbox, and deliver")
@click.option("--doubts", is_flag=True, help="let rows go in which there is a doubt, too")
@click.option("--twice", default="ask", type=click.Choice(["ask", "first", "last"]),
              help="which of several rows with one address go")  # fmt: skip
@click.option("--every", default=0.0, metavar="SECONDS", help="the distance between two letters")
@click.option("--hours", default="", metavar="9-17", help="between which hours letters go")
@click.option("--days", default="", metavar="Mon-Fri", help="on which days letters go")
@click.option("--hold", is_flag=True, help="let them wait until the round is released")
@click.option("--id", "named", default="", help="another name for a round that goes again")
@as_json
@click.pass_context
def round_command(
    ctx: click.Context, /, table: str, template: str, how: str, out: str, as_json: bool,
    **given: object,
) -> None:  # fmt: skip
    """Write one letter to each row of a table; exits 1 where rows are kept back.

    To start again what was started sends nothing twice: a row of a round goes once.
    """
    now = chance(ctx).now()
    here = open_here(now)
    writer = here.writer(now)
    made = _template(here, template, now)
    taken = take(_origin(table, given), here.library.people)
    read = taken.table
    matches = _matches(read, names_of(here.catalogue, made), _pairs(given["pairs"]))
    matches = replace(matches, every=_pairs(given["said_once"]))
    folder = Path(str(given["folder"])) if given["folder"] else None
    files = files_in(folder) if folder else {}
    source = Source(read, matches, made, files, str(given["lang"] or ""))
    choosing = Choosing(
        str(given["rows"]), str(given["words"]), str(given["where"]), twice=_twice(given["twice"])
    )
    rules = here.catalogue.round_rules
    meant = chosen(read, choosing, now.date(), here.catalogue.calendar)
    rows = _looked_at(here, source, meant, writer, choosing.twice)
    begun = Round(
        name_of_round(taken.data, read.sheet, made.id, str(given["named"])), Path(table).stem,
        here.settings.member, now, made.id, made.edition, read, matches, choosing, _pace(given),
        "asks" if rules.asks(len(meant)) else "held" if given["hold"] else "go",
        snapshot_of(here.catalogue, made, files, {}),
    )  # fmt: skip
    with_doubts = bool(given["doubts"])
    if given["links"]:
        made_links = links_of(here.catalogue, read, rows, int(str(given["longest"])))
        long = write_links(read, made_links, Path(str(given["links"])), overwrite=True)
        click.echo(f"{len(made_links)} rows are in {given['links']}; {long} links are too long.")
    elif out:
        count = _write(here, begun, rows, writer, Path(out), ctx, with_doubts=with_doubts)
        click.echo(f"{count} of {len(rows)} messages are in {out}.")
    elif how == "go":
        if against := rules.against(len(meant), leads=here.library.role == "lead"):
            raise NebbetError(against.rstrip("."), kept="Nothing was sent")
        if folder:
            take_files(here.library, folder, files, rows)
        _go(here, begun, rows, writer, ctx, with_doubts)
    else:
        _tell(rows, unused(source, rows), as_json=as_json)
    ctx.exit(1 if any(row.is_kept(with_doubts=with_doubts) for row in rows) else 0)


def _looked_at(
    here: Here, source: Source, meant: Sequence[TableRow], writer: Writer, twice: Twice
) -> list[Row]:
    """The letters of rows, with all that is found in each and in all together."""
    rows = list(look(here.catalogue, here.library.people, source, meant, writer))
    together = over_all(source, rows, twice)
    return [with_findings(row, together) for row in rows]


def _origin(table: str, given: Mapping[str, object]) -> Origin:
    """The file with the table, and how it is read."""
    delimiter = str(given["delimiter"]).replace("\\t", "\t")
    sheet, encoding = str(given["sheet"]), str(given["encoding"])
    return Origin("file", table, sheet=sheet, encoding=encoding, delimiter=delimiter)


def _twice(given: object) -> Twice:
    return "first" if given == "first" else "last" if given == "last" else "ask"


def _pace(given: Mapping[str, object]) -> Pace:
    """When letters go."""
    hours = read_hours(str(given["hours"]))
    return Pace(float(str(given["every"])), *hours, read_days(str(given["days"])))


def _template(here: Here, words: str, now: datetime) -> Template:
    """The template of an id or a title: many letters hang on it, so none is guessed."""
    found = here.template(words, now)
    if fold(words) not in (fold(found.id), fold(found.title)):
        raise NebbetError(
            f"There is no template “{words}”",
            advice=f"Did you mean “{found.title}” ({found.id})? Give its title or its id",
        )
    return found


def _pairs(given: object) -> dict[str, str]:
    found = {}
    for pair in given if isinstance(given, tuple) else ():
        heading, sign, role = str(pair).partition("=")
        if not sign:
            raise NebbetError(f"“{pair}” matches nothing", advice="Write --match column=role")
        found[heading.strip()] = role.strip()
    return found


def _matches(table: ReadTable, names: Sequence[str], pairs: dict[str, str]) -> Matches:
    """What the columns are for: as it is proposed, but for what was said. An address that is put
    together is said as the match of `to`."""
    roles = propose(table, names)
    by_case = {heading.casefold(): heading for heading in table.headings}
    address = ""
    for heading, role in pairs.items():
        if heading == "to" and "{{" in role:
            address = role
            continue
        if heading.casefold() not in by_case:
            raise NebbetError(
                f"The table has no column “{heading}”",
                advice=f"It has: {', '.join(table.headings)}",
            )
        known = role in ROLES or not role
        roles[by_case[heading.casefold()]] = role if known else VALUE + role
    return Matches(roles, days_first(table), address)


def _tell(rows: Iterable[Row], idle: Sequence[str], *, as_json: bool) -> None:
    if as_json:
        found = [
            {
                "row": row.said.number,
                "to": row.letter.recipient.email if row.letter.recipient else "",
                "state": row.state,
                "findings": [
                    {"severity": one.severity, "sentence": one.sentence} for one in row.findings
                ],
            }
            for row in rows
        ]
        click.echo(json.dumps(found, ensure_ascii=False))
        return
    for row in rows:
        to = row.letter.recipient.email if row.letter.recipient else "–"
        click.echo(f"{row.said.number:6} {row.state:9} {to}")
        for finding in row.findings:
            click.echo(f"       {finding.severity}: {finding.sentence}")
    for name in idle:
        click.echo(f"note: no row names the file {name}")


def _write(
    here: Here, begun: Round, rows: Sequence[Row], writer: Writer, folder: Path,
    ctx: click.Context, *, with_doubts: bool,
) -> int:  # fmt: skip
    """Write the messages of rows that may go into a folder; gives how many."""
    folder.mkdir(parents=True, exist_ok=True)
    files, count = EncodedFiles(here.library.file_bytes), 0
    for row in rows:
        if row.is_kept(with_doubts=with_doubts):
            continue
        item = finished(here.catalogue, begun, row, writer, token=chance(ctx).token, files=files)
        data = with_bcc(item.outgoing.data, item.outgoing.bcc)
        write_file(folder / f"{row.said.number:06}.eml", data, overwrite=True)
        count += 1
    return count


def _go(
    here: Here, begun: Round, rows: Sequence[Row], writer: Writer, ctx: click.Context,
    with_doubts: bool,
) -> None:  # fmt: skip
    """Put the letters of rows into the outbox, and deliver what is due."""
    make_home(home())
    personal = open_personal(home().personal_file)
    counts = {"out": 0, "before": 0, "kept": 0}
    for one in start(
        personal, here.library, here.catalogue, begun, rows, writer,
        token=chance(ctx).token, files=EncodedFiles(here.library.file_bytes),
        with_doubts=with_doubts,
    ):  # fmt: skip
        counts[one.how] += 1
    left = [one for one in deliver(here, personal) if one.item.round == begun.id]
    gone = counts["out"] - sum(one.item.id.startswith(begun.id) for one in left)
    click.echo(
        f"{max(gone, 0)} went now, {len(left)} wait in the outbox, {counts['before']} were there "
        f"or went before, {counts['kept']} are kept back."
    )

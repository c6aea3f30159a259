"""The verbs for people and cases: import, read."""

import json
from pathlib import Path

import click
from msgspec.structs import replace

from nebbet.cli.here import chance, open_here
from nebbet.cli.options import as_json
from nebbet.core.errors import NebbetError
from nebbet.core.records import Case, Contact, fold
from nebbet.core.records.matching import LEFT_OUT, NEW, Target
from nebbet.core.records.tables import DELIMITER_NAMES
from nebbet.library.import_files import (
    How,
    ImportFile,
    looks_like_cases,
    offered,
    planned,
    proposed,
    read_import,
)
from nebbet.library.importing import Plan, Planned

_SHOWN = 20  # rows of each state that are told to people


@click.group()
def people() -> None:
    """People and cases: bring them in from files, read linked tables again."""


@people.command("import")
@click.argument("file", metavar="FILE")
@click.option("--cases", "kind", metavar="KIND", help="it holds cases, of this kind")
@click.option("--people", "as_people", is_flag=True, help="it holds people")
@click.option(
    "--match", "matches", multiple=True, metavar="COL=FIELD",
    help="where a column goes; COL= leaves it out, COL=+ makes a field of it",
)  # fmt: skip
@click.option("--sheet", default="", help="the sheet of a workbook")
@click.option("--encoding", default="", help="of a text; found out otherwise")
@click.option("--delimiter", type=click.Choice([*DELIMITER_NAMES.values()]), default=None)
@click.option("--month-first", is_flag=True, help="3/4 is in March")
@click.option("--look", is_flag=True, help="only say what every row would do")
@as_json
@click.pass_context
def import_people(
    ctx: click.Context,
    file: str,
    kind: str | None,
    as_people: bool,
    matches: tuple[str, ...],
    sheet: str,
    encoding: str,
    delimiter: str | None,
    month_first: bool,
    look: bool,
    as_json: bool,
) -> None:
    """Bring people or cases in from a table (CSV, XLSX, ODS, XLS) or from cards (vCard).

    All rows that can be taken come in, or none; exit code 1 if a row was refused or is doubled.
    """
    run = chance(ctx)
    here = open_here(run.now())
    sign = next((one for one, name in DELIMITER_NAMES.items() if name == delimiter), "")
    read = read_import(Path(file), sheet=sheet, encoding=encoding, delimiter=sign)
    how = How(people=kind is None, kind=kind or "")
    if read.table is not None:
        if kind is None and not as_people:
            how = replace(how, people=not looks_like_cases(read.table))
        how = proposed(here.catalogue, read.table, how)
        if month_first:
            how = replace(how, day_first=False)
        targets = offered(here.catalogue, how)
        how = replace(how, matches={**how.matches, **_matched(read, matches, targets)})
    prefix = "p" if how.people else "c"
    plan = planned(
        here.library.people, here.catalogue, read, how, lambda: f"{prefix}-{run.token()}"
    )
    if not look:
        here.library.change_people(plan.changes())
    _tell(plan, read, how, as_json=as_json, look=look)
    counts = plan.counts
    ctx.exit(1 if counts["refused"] or counts["doubled"] else 0)


def _matched(file: ImportFile, given: tuple[str, ...], targets: list[Target]) -> dict[str, str]:
    """Where columns go, as it was said. Raises NebbetError for a column or a field that is not
    there."""
    assert file.table is not None
    headings = {fold(heading): heading for heading in file.table.headings}
    keys = {fold(target.key): target.key for target in targets}
    keys |= {fold(target.title): target.key for target in targets}
    found: dict[str, str] = {}
    for pair in given:
        column, said, field = pair.rpartition("=")
        heading = headings.get(fold(column))
        if not said or heading is None:
            raise NebbetError(
                f"“{pair}” matches no column",
                kept="Nothing was read in",
                advice=f"Write --match COLUMN=FIELD; there are {', '.join(headings.values())}",
            )
        key = {"": LEFT_OUT, "+": NEW}.get(field) if field in ("", "+") else keys.get(fold(field))
        found[heading] = field if key is None else key  # a name that nobody has is a new field
    return found


def _tell(plan: Plan, file: ImportFile, how: How, *, as_json: bool, look: bool) -> None:
    if as_json:
        rows = [
            {"row": row.number, "state": row.state, "reason": row.reason, "name": _name(row)}
            for row in plan.rows
        ]
        told = {
            "file": file.name,
            "people": how.people,
            "written": not look,
            "matches": how.matches,
            "counts": plan.counts,
            "people_beside": len(plan.beside),
            "rows": rows,
        }
        click.echo(json.dumps(told, ensure_ascii=False))
        return
    if file.table is not None:
        for said in file.table.told:
            click.echo(said, err=True)
        for heading, key in how.matches.items():
            where = {LEFT_OUT: "left out", NEW: "a field of its own"}.get(key, key)
            click.echo(f"{heading:28} -> {where}", err=True)
    shown: dict[str, int] = {}
    for row in plan.rows:
        shown[row.state] = shown.get(row.state, 0) + 1
        if row.state in ("refused", "doubled") or (look and shown[row.state] <= _SHOWN):
            click.echo(f"{row.state:9} row {row.number}: {_name(row)}  {row.reason}".rstrip())
    counts = ", ".join(f"{count} {state}" for state, count in plan.counts.items() if count)
    click.echo(("would be: " if look else "") + (counts or "no rows"))


def _name(row: Planned) -> str:
    if isinstance(row.record, Contact):
        return row.record.name or row.record.email
    return row.record.number if isinstance(row.record, Case) else ""

"""The verbs that need no library: date rules, sums, filling a text."""

import json
import sys
from collections.abc import Mapping
from datetime import date, datetime, time
from decimal import Decimal

import click

from nebbet.cli.here import chance
from nebbet.cli.options import as_json, language, on_clocks, read_input, read_moment, read_text
from nebbet.core import dates, placeholders, sums, values
from nebbet.core.errors import NebbetError
from nebbet.core.records import fold
from nebbet.core.values import Value

MOST_LINES = 20
LARGEST_TEXT = 20 * 2**20


def _moment(ctx: click.Context, on: str | None, zone: str = "") -> date | datetime:
    """The moment that counts: one that is given, or now, on the clocks of a time zone."""
    if on:
        return read_moment(on, zone)
    return on_clocks(chance(ctx).now(), zone)


def _week(_ctx: click.Context, _param: click.Parameter, text: str) -> frozenset[int] | None:
    return dates.week(text) if text else None


def _hours(_ctx: click.Context, _param: click.Parameter, text: str) -> tuple[time, time]:
    return dates.hours(text) if text else dates.NINE_TO_FIVE


def _closed(
    _ctx: click.Context, _param: click.Parameter, days: tuple[str, ...]
) -> Mapping[date, str]:
    return {dates.day_of(read_moment(day)): "closed" for day in days}


at_moment = click.option("--on", metavar="DATE", help="as if it were that day, or moment")
calendar_code = click.option(
    "--calendar", default="", metavar="C", help="working days: GB-SCT, DE-BY, FR …"
)
closed_days = click.option(
    "--closed", multiple=True, callback=_closed, metavar="DATE", help="a closure day of the team"
)
working_week = click.option(
    "--week", default="", callback=_week, metavar="W", help="working week: Mon-Fri, Sun-Thu …"
)
working_hours = click.option(
    "--hours", default="", callback=_hours, metavar="H", help="working hours: 09:00-17:00"
)
zone_name = click.option(
    "--zone", default="", metavar="Z", help="time zone for hours: Europe/London …"
)
values_of = click.option("--values", "values_file", metavar="FILE.json", help="names and values")


@click.command("date")
@click.argument("rule")
@at_moment
@calendar_code
@closed_days
@working_week
@working_hours
@zone_name
@values_of
@language
@click.option("--format", "style", default="", metavar="F", help="short, long, full or a pattern")
@click.option("--year", is_flag=True, help="what it gives on each of the next 366 days")
@as_json
@click.pass_context
def date_command(
    ctx: click.Context,
    rule: str,
    on: str | None,
    calendar: str,
    closed: Mapping[date, str],
    week: frozenset[int] | None,
    hours: tuple[time, time],
    zone: str,
    values_file: str | None,
    lang: str,
    style: str,
    year: bool,
    as_json: bool,
) -> None:
    """Work out a date rule and explain it."""
    read = dates.read(rule)
    working = dates.calendar_for(calendar, closed, zone, week, hours)
    moment = _moment(ctx, on, zone)
    if year:
        _print_year(dates.year_view(read, dates.day_of(moment), working), as_json=as_json)
        return
    named = _days(read, _read_values(values_file, zone) if values_file else {})
    worked = dates.work_out(read, moment, working, named)
    text, said = placeholders.show(worked.value, lang, style), dates.explain(worked)
    iso = worked.value.isoformat()
    found = {"iso": iso, "text": text, "explanation": said, "sentence": dates.describe(read)}
    _print_result(found, as_json=as_json)


def _print_result(found: Mapping[str, object], *, as_json: bool) -> None:
    """The text and its explanation; as JSON, everything that was found."""
    if as_json:
        click.echo(json.dumps(found, ensure_ascii=False))
    else:
        click.echo(f"{found['text']}\n{found['explanation']}")


def _days(rule: dates.Rule, named: Mapping[str, Value]) -> dict[str, date | datetime]:
    """The dates that a rule counts from, out of the values."""
    by_name = {fold(name): value for name, value in named.items()}
    found = {name: by_name.get(fold(name)) for name in rule.names}
    return {name: value for name, value in found.items() if isinstance(value, date)}


def _print_year(year: tuple[dates.YearDay, ...], *, as_json: bool) -> None:
    if as_json:
        rows = [
            {
                "day": day.day.isoformat(),
                "gives": day.worked.value.isoformat() if day.worked else None,
                "explanation": day.said,
                "irregular": day.irregular,
                "lands": day.lands,
            }
            for day in year
        ]
        click.echo(json.dumps(rows, ensure_ascii=False))
        return
    for day in year:
        gives = f"{day.worked.value:%Y-%m-%d %a}" if day.worked else "nothing"
        marks = [day.irregular, f"lands on {day.lands}" if day.lands else "", day.problem]
        said = "; ".join(filter(None, marks))
        click.echo(f"{day.day:%Y-%m-%d %a}  {gives}{'  ' + said if said else ''}")


@click.command()
@click.argument("expression")
@values_of
@at_moment
@calendar_code
@closed_days
@working_week
@language
@click.option("--format", "style", default="", metavar="F", help="how to write the result")
@click.option("--half-up", is_flag=True, help="round halves away from nothing, not to even")
@as_json
@click.pass_context
def work(
    ctx: click.Context,
    expression: str,
    values_file: str | None,
    on: str | None,
    calendar: str,
    closed: Mapping[date, str],
    week: frozenset[int] | None,
    lang: str,
    style: str,
    half_up: bool,
    as_json: bool,
) -> None:
    """Work out a sum or a condition over named values, and explain it."""
    named = _read_values(values_file) if values_file else {}
    by_name = {fold(name): value for name, value in named.items()}

    def value(name: str) -> Value:
        found = by_name.get(fold(name), "")
        if found == "":
            close = placeholders.nearest(name, named)
            same = close is None or fold(close) == fold(name)
            meant = placeholders.did_you_mean(None if same else close)
            raise sums.NoValue(f"There is no value for “{name}”{meant}")
        return found

    scope = sums.Scope(
        value,
        dates.day_of(_moment(ctx, on)),
        dates.calendar_for(calendar, closed, weekdays=week),
        lambda shown: placeholders.show(shown, lang),
        "half up" if half_up else "half even",
    )
    result = sums.work_out(sums.read(expression), scope)
    text = placeholders.show(result.value, lang, style)
    found = {
        "value": values.to_json(result.value),
        "text": text,
        "explanation": result.explanation,
    }
    _print_result(found, as_json=as_json)


@click.command()
@values_of
@click.option("--html", "as_html", is_flag=True, help="the text is HTML: escape the values")
@language
@click.pass_context
def fill(ctx: click.Context, values_file: str | None, as_html: bool, lang: str) -> None:
    """Fill the placeholders in a text from standard input.

    What cannot be filled is told, and the exit code is 1. A text with mistyped braces is not
    printed: nobody is to send it.
    """
    named = _read_values(values_file) if values_file else {}
    text = read_input(LARGEST_TEXT).decode("utf-8", "surrogateescape")
    filled = placeholders.fill(text, named, lang, as_html=as_html)
    if not any(problem.mistyped for problem in filled.problems):
        sys.stdout.buffer.write(filled.text.encode("utf-8", "surrogateescape"))
        sys.stdout.buffer.flush()
    for problem in filled.problems[:MOST_LINES]:
        click.echo(f"line {problem.line}, sign {problem.column}: {problem.sentence}", err=True)
    if len(filled.problems) > MOST_LINES:
        click.echo(f"and {len(filled.problems) - MOST_LINES} more", err=True)
    ctx.exit(1 if filled.problems else 0)


@click.command()
def clean() -> None:
    """Read HTML from standard input and write what becomes of it when it is pasted."""
    from nebbet.core import body

    data = read_input(LARGEST_TEXT)
    click.echo(body.write(body.read_foreign(data.decode("utf-8", "replace"))), nl=False)


def _read_values(path: str, zone: str = "") -> dict[str, Value]:
    text = read_text(path, "The values file")
    try:
        # Numbers keep the digits they were written with: 12.50 is no binary fraction.
        raw = json.loads(text, parse_float=Decimal)
    except (ValueError, RecursionError) as error:
        raise NebbetError(
            f"The values file {path} is not JSON: {error}", advice='It looks like {"name": "Ana"}'
        ) from None
    if not isinstance(raw, dict):
        raise NebbetError(
            f"The values file {path} holds no names", advice='It looks like {"name": "Ana"}'
        )
    found = values.mapping_from_json(raw)
    return {name: placeholders.in_zone(value, zone) for name, value in found.items()}

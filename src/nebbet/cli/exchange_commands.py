"""The verbs that bring templates in and out: import, export."""

from pathlib import Path
from secrets import token_hex

import click
import msgspec
from msgspec.structs import replace

from nebbet.cli.here import chance, open_here
from nebbet.cli.options import home, language, overwrite, text_language, write_output
from nebbet.core.errors import NebbetError
from nebbet.core.message import exporting
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.message.importing import with_blanks
from nebbet.core.records import fold
from nebbet.library.catalogue import Catalogue
from nebbet.library.intake import take_in
from nebbet.personal import own_templates
from nebbet.personal.tables import open_personal


@click.command("import")
@click.argument("files", nargs=-1, required=True, metavar="FILE...")
@click.option("--shelf", default="", metavar="S", help="name of the shelf; the first one otherwise")
@click.option("--finished", is_flag=True, help="keep the look that the file has (.eml, .html)")
@language
@click.pass_context
def import_files(
    ctx: click.Context, files: tuple[str, ...], shelf: str, finished: bool, lang: str
) -> None:
    """Make templates of messages, pages and notes. They are drafts until somebody puts them in
    use; bracketed prompts become blanks. Exit code 1 if one could not be
    taken."""
    now = chance(ctx).now()
    here = open_here(now)
    library = here.library
    found = _shelf(here.library.catalogue(now), shelf)
    drafts = open_personal(home().personal_file)
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


def _shelf(catalogue: Catalogue, name: str) -> str:
    for shelf in catalogue.shelves:
        if not name or fold(shelf.name) == fold(name) or shelf.id == name:
            return shelf.id
    raise NebbetError(
        f"There is no shelf “{name}”" if name else "The library has no shelf yet",
        advice="Put one up in the window first",
    )


@click.command()
@click.argument("template")
@click.option("--html", "as_html", is_flag=True, help="the HTML alone, not a message")
@text_language
@click.option("-o", "--output", default="", metavar="FILE", help="write there")
@overwrite
@click.pass_context
def export(
    ctx: click.Context,
    template: str,
    as_html: bool,
    lang: str,
    output: str,
    overwrite: bool,
) -> None:
    """Write a template as a message (.eml) or as HTML, with its {{placeholders}}."""
    run = chance(ctx)
    now = run.now()
    here = open_here(now)
    content = here.catalogue.included(here.template(template, now).content)
    frame = here.catalogue.frame(content.frame)
    files = EncodedFiles(here.library.file_bytes)
    if as_html:
        data = exporting.as_html(content, frame, files, lang).encode("utf-8")
    else:
        me = here.writer(now).me
        data = exporting.as_message(content, me, frame, files, lang, now=now, token=run.token)
    write_output(data, output, overwrite=overwrite)

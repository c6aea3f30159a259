"""The library's files as a whole: where each is used, one in the place of another, and away."""

from collections.abc import Iterable
from datetime import datetime
from typing import Any

import msgspec
from msgspec import Struct
from msgspec.structs import replace
from sqlalchemy import Connection, delete, select, update

from nebbet.core.body import Frame
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Enclosure, Passage
from nebbet.core.letter.files import files_in, files_in_text, text_with_file, with_file
from nebbet.library import schema
from nebbet.library.catalogue import Catalogue
from nebbet.library.documents import put_state
from nebbet.library.editions import add_edition
from nebbet.library.holdings import Template
from nebbet.library.roles import is_needed_unseen
from nebbet.library.store import Library, keep_file
from nebbet.library.writes import must_change


class FileUsers(Struct, frozen=True):
    """What uses a file: templates (retired ones, too), passages and frames by their ids."""

    templates: tuple[Template, ...] = ()
    passages: tuple[Passage, ...] = ()
    frames: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.templates or self.passages or self.frames)


def uses_of_files(catalogue: Catalogue) -> dict[str, FileUsers]:
    """What uses each file of the library."""
    found: dict[str, FileUsers] = {}

    def add(files: Iterable[str], **more: tuple[object, ...]) -> None:
        for file in files:
            held = found.get(file, FileUsers())
            found[file] = replace(held, **{n: (*getattr(held, n), *v) for n, v in more.items()})

    for template in sorted(catalogue.templates.values(), key=lambda t: t.title.casefold()):
        add(files_in(template.content), templates=(template,))
    for passage in catalogue.passages.values():
        add(_files_of(passage), passages=(passage,))
    for name, frame in catalogue.frames.items():
        add([frame.logo] if frame.logo else [], frames=(name,))
    return found


def _files_of(passage: Passage) -> set[str]:
    return {file for texts in passage.texts.values() for file in files_in_text(texts)}


def replace_file(
    library: Library,
    old: str,
    data: bytes,
    name: str,
    media_type: str,
    *,
    author: str,
    made: datetime,
) -> int:
    """Put a file in the place of another one everywhere in one act, and return in how many
    templates. Each gets an edition; passages and frames a state."""
    with library.writing("The file cannot be replaced") as connection:
        file = schema.file.c.sha256 == old
        old_name = connection.scalar(select(schema.file.c.name).where(file)) or ""
        new = Enclosure(keep_file(connection, data, name, media_type), name, media_type, len(data))
        said = f"{name} in the place of {old_name}"
        count = 0
        for key, title, state, text in connection.execute(_in_use()).all():
            content = msgspec.json.decode(text, type=Content)
            other = with_file(content, old, old_name, new)
            if other != content:
                count += 1
                add_edition(
                    connection, key, title, other, author=author, note=said, made=made,
                    based_on=None,
                )  # fmt: skip
                table = schema.template
                connection.execute(update(table).where(table.c.id == key).values(state=state))
        _replace_in_shared(connection, old, new.file, author, made)
        return count


def _in_use() -> Any:
    t, e = schema.template.c, schema.edition.c
    joined = schema.template.join(schema.edition, (e.template == t.id) & (e.number == t.edition))
    return select(t.id, t.title, t.state, e.content).select_from(joined)


def _replace_in_shared(
    connection: Connection, old: str, new: str, author: str, made: datetime
) -> None:
    """The same in passages and frames."""
    for data in connection.scalars(select(schema.passage.c.data)).all():
        passage = msgspec.json.decode(data, type=Passage)
        texts = {code: text_with_file(text, old, new) for code, text in passage.texts.items()}
        if texts != passage.texts:
            changed = replace(passage, texts=texts)
            put_state(connection, schema.passage, "id", changed, author, made)
    for key, data in connection.execute(select(schema.frame.c.id, schema.frame.c.data)).all():
        frame = msgspec.json.decode(data, type=Frame)
        if frame.logo == old:
            other = replace(frame, logo=new)
            put_state(connection, schema.frame, "id", other, author, made, value=key)


def remove_file(library: Library, file: str) -> None:
    """Take a file that nothing uses out of the library.

    Raises NebbetError where an edition, also an earlier one, needs it.
    """
    with library.writing("The file cannot be taken out") as connection:
        columns = (
            schema.edition.c.content,
            schema.proposal.c.content,
            schema.passage.c.data,
            schema.frame.c.data,
            schema.case.c.data,
        )
        held = (select(column).where(column.contains(file)).limit(1) for column in columns)
        needed = any(connection.scalar(one) is not None for one in held)
        if needed or is_needed_unseen(connection, file):
            raise NebbetError(
                "A template, a passage, a frame, a case or an earlier edition needs this file",
                kept="It stays in the library",
                advice="Put another file in its place instead",
            )
        must_change(connection, delete(schema.file).where(schema.file.c.sha256 == file))

"""Starting a round: its rows become letters in the outbox, each fixed as it is to go."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import datetime
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace
from sqlalchemy import Engine

from nebbet.core.checks import worst
from nebbet.core.errors import NebbetError
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.records import fold
from nebbet.core.rounds.pacing import moments
from nebbet.library.catalogue import Catalogue
from nebbet.library.holdings import RoundFile
from nebbet.library.round_ledger import Round, releases, went
from nebbet.library.rounds import RowLetter
from nebbet.library.store import Library
from nebbet.library.writing import Examined, Writer, examine
from nebbet.personal import outbox
from nebbet.personal.items import UNTIL_RELEASED, Item
from nebbet.post.sending import Kept, finish, put_items

_AT_ONCE, _MOST_AT_ONCE = 25, 4 * 2**20  # letters, and bytes, put into the outbox in one act
LARGEST = 25 * 2**20  # bytes of a file that goes along; common practice, no source


class Out(Struct, frozen=True):
    """What became of a row at the start: that it is in the outbox, is there or went before, or is
    kept back."""

    row: int
    how: str  # "out", "before" or "kept"


def start(
    personal: Engine,
    library: Library,
    catalogue: Catalogue,
    started: Round,
    rows: Iterable[RowLetter],
    writer: Writer,
    *,
    token: Callable[[], str],
    files: EncodedFiles,
    with_doubts: bool,
) -> Iterator[Out]:
    """Keep a round and put its letters into the outbox, one after the other, to go as it says; a
    row that is there, or went, is passed over, so that to start again does no harm. with_doubts
    lets rows go in which something is to be looked at; one with a stop never goes."""
    library.keep_round(started)
    gone = went(library.register_engine, started.id)
    there = outbox.ids_of_round(personal, started.id)
    dues = moments(writer.moment, started.pace)
    if started.how != "go" and releases(library.register_engine, [started.id]):
        started = replace(started, how="go")
    some = _Some(personal)
    try:
        for row in rows:
            key = row.said.key
            if key in gone or item_id(started, key) in there:
                yield Out(row.said.number, "before")
            elif row.is_kept(with_doubts=with_doubts):
                yield Out(row.said.number, "kept")
            else:
                due = next(dues) if started.how == "go" else None
                until = due.timestamp() if due else UNTIL_RELEASED
                try:
                    item = finished(
                        catalogue, started, row, writer, token=token, files=files, due=due
                    )
                except Kept:  # by the day on which it is to go, something is in the way
                    yield Out(row.said.number, "kept")
                    continue
                some.add(row.said.number, item, until)
                if some.is_full:
                    yield from some.put()
    except NebbetError:
        some.put()  # what was finished before goes, as whoever reads what is wrong expects
        raise
    yield from some.put()


class _Some:
    """Letters that are put into the outbox in one act: a disk takes long for each."""

    def __init__(self, personal: Engine) -> None:
        self._personal = personal
        self._rows: list[int] = []
        self._items: list[tuple[Item, float]] = []
        self._size = 0

    def add(self, row: int, item: Item, due: float) -> None:
        self._rows.append(row)
        self._items.append((item, due))
        self._size += len(item.outgoing.data)

    @property
    def is_full(self) -> bool:
        return len(self._items) >= _AT_ONCE or self._size >= _MOST_AT_ONCE

    def put(self) -> list[Out]:
        """Put them, and begin with others."""
        rows, items = self._rows, self._items
        self._rows, self._items, self._size = [], [], 0
        if items:
            put_items(self._personal, items)
        return [Out(row, "out") for row in rows]


def item_id(started: Round, row: str) -> str:
    """What the letter of a row is called in the outbox: there is one alone."""
    return f"{started.id}-{row}"[:64]


def finished(
    catalogue: Catalogue,
    started: Round,
    row: RowLetter,
    writer: Writer,
    *,
    token: Callable[[], str],
    files: EncodedFiles,
    due: datetime | None = None,
) -> Item:
    """The letter of a row as it goes; on the day on which it is due, where that is another one than
    today. Raises Kept where something is in the way, NebbetError where it cannot go."""
    letter = replace(row.letter, id=item_id(started, row.said.key))
    own = tuple(one for one in row.findings if not one.rule.startswith("row"))
    seen = {one.key for one in own if worst((one,)) != "stop"}
    then = Examined(letter, (), own)
    if due and due.date() != writer.moment.date():
        writer = replace(writer, moment=due)
        then = examine(catalogue, letter, writer)
    item = finish(catalogue, then, writer, token=token, files=files, acknowledged=seen)
    return replace(item, round=started.id, row=row.said.key)


def files_in(folder: Path) -> dict[str, RoundFile]:
    """The files of a folder that rows can name, by their folded names: those that may go along."""
    import hashlib
    import mimetypes

    from nebbet.library.disk import disk_explained
    from nebbet.library.holdings import LibraryFile

    found: dict[str, RoundFile] = {}
    with disk_explained(f"The folder {folder.name} cannot be read"):
        for path in sorted(folder.iterdir()):
            if not path.is_file() or path.stat().st_size > LARGEST or path.name.startswith("."):
                continue
            data = path.read_bytes()
            kind = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
            digest = hashlib.sha256(data).hexdigest()
            found[fold(path.name)] = RoundFile(digest, LibraryFile(path.name, kind, len(data)))
    return found


def take_files(
    library: Library, folder: Path, files: Mapping[str, RoundFile], rows: Iterable[RowLetter]
) -> None:
    """Take the files that rows name into the library, from where letters are made; those that it
    holds are not read again: a round that goes on has no folder. Raises NebbetError."""
    from nebbet.library.disk import read_file

    named = {fold(name) for row in rows for name in row.said.files} & files.keys()
    held = library.files() if named else {}
    for one in sorted(named):
        file = files[one].file
        if files[one].sha256 not in held:
            data = read_file(folder / file.name, f"The file {file.name}", largest=LARGEST)
            library.put_file(data, file.name, file.media_type)

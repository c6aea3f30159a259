"""Packs: a library, or some templates with what they need, in an open zip: for backup, for moving,
for keeping in version control. What a pack is, and reading one."""

import hashlib
import io
import re
import zipfile
from collections.abc import Mapping
from pathlib import Path

import msgspec
from msgspec import Struct, field
from msgspec.structs import replace

from nebbet.core.body import Frame
from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.letter import Content, Passage, unsound
from nebbet.core.records import Fact
from nebbet.library.disk import LARGEST_FILE, read_file
from nebbet.library.holdings import LibraryFile, Shelf, State
from nebbet.library.rows import KeptCalendar, is_sound

FORMAT, VERSION = "nebbet pack", 1
MANIFEST = "manifest.json"
LARGEST = 400 * 2**20  # bytes when unpacked
LARGEST_TEXT = 16 * 2**20  # bytes of a text, or of the manifest
_LONGEST_ID, _LONGEST_TITLE = 64, 200  # as the library's tables have them
MOST_FILES = 100_000
_NAME = re.compile(r"texts/[\w.-]{1,80}/[A-Za-z_]{2,20}\.html|files/[0-9a-f]{64}", re.ASCII)


class PackedTemplate(Struct, frozen=True):
    """A template as a pack holds it: the texts' bodies are files of their own, named by language
    in bodies; content has them empty."""

    id: str
    shelf: str
    title: str
    state: State
    pinned: bool
    content: Content
    bodies: dict[str, str] = field(default_factory=dict)


class Manifest(Struct, frozen=True):
    """What a pack holds. days are the working days that its date rules count with. hashes are the
    SHA-256 of every other file of the zip, by its name."""

    format: str
    version: int
    shelves: tuple[Shelf, ...] = ()
    templates: tuple[PackedTemplate, ...] = ()
    passages: tuple[Passage, ...] = ()
    frames: dict[str, Frame] = field(default_factory=dict)
    facts: tuple[Fact, ...] = ()
    files: dict[str, LibraryFile] = field(default_factory=dict)
    days: KeptCalendar | None = None
    hashes: dict[str, str] = field(default_factory=dict)


class Pack(Struct, frozen=True):
    """A pack that was read and found whole: its manifest, with the bodies in their places, and the
    contents of its files by SHA-256."""

    manifest: Manifest
    files: Mapping[str, bytes]


# Reading


def read_pack(path: Path) -> Pack:
    """Read a pack. Raises NebbetError for one that is not whole, climbs out of its folder, unpacks
    to too much, or was made by a newer Nebbet; nothing of it is used then."""
    data = read_file(path, path.name, "Nothing was taken", LARGEST)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as pack:
            return _read(path.name, pack)
    except NebbetError:
        raise
    except Exception:
        # The zip library lets out whatever a damaged one makes it stumble over (struct, zlib, key,
        # value, encoding): none of it is a fault of ours, and all of it says the same.
        raise _refused(path.name, "it is not a whole zip file") from None


def _refused(name: str, why: str) -> NebbetError:
    return NebbetError(
        f"The pack {name} cannot be taken: {why}", kept="Nothing was taken", advice="Get it anew"
    )


def _read(name: str, pack: zipfile.ZipFile) -> Pack:
    entries = pack.infolist()
    names = [entry.filename for entry in entries]
    if len(entries) > MOST_FILES or sum(entry.file_size for entry in entries) > LARGEST:
        raise _refused(name, f"it unpacks to more than {LARGEST // 2**20} MB")
    if any(entry.file_size > _limit(entry.filename) for entry in entries):
        raise _refused(name, "a part of it is larger than any can be")
    if MANIFEST not in names or len({*names}) != len(names):
        raise _refused(name, "it has no manifest" if MANIFEST not in names else "a name is doubled")
    manifest = _manifest(name, _unpacked(name, pack, MANIFEST))
    held = {entry.filename for entry in entries if entry.filename != MANIFEST}
    if held != manifest.hashes.keys() or not all(map(_NAME.fullmatch, held)):
        raise _refused(name, "it holds other files than its manifest says")
    data = {entry: _unpacked(name, pack, entry) for entry in sorted(held)}
    for entry, content in data.items():
        if _sha256(content) != manifest.hashes[entry]:
            raise _refused(name, f"{entry} is not what it was when the pack was made")
    files = {key: data.get(f"files/{key}") for key in manifest.files}
    if any(content is None or _sha256(content) != key for key, content in files.items()):
        raise _refused(name, "a file of the library is not what its name says")
    whole = tuple(_whole(name, template, data) for template in manifest.templates)
    kept = {key: content for key, content in files.items() if content is not None}
    return Pack(_sound(name, replace(manifest, templates=whole)), kept)


def _limit(entry: str) -> int:
    """How many bytes a part of a pack may have: its own sizes in the zip may be a lie, and JSON
    takes many times its length in memory."""
    return LARGEST_FILE if entry.startswith("files/") else LARGEST_TEXT


def _unpacked(name: str, pack: zipfile.ZipFile, entry: str) -> bytes:
    limit = _limit(entry)
    with pack.open(entry) as part:
        data = part.read(limit + 1)
    if len(data) > limit:
        raise _refused(name, f"{entry} is larger than it says")
    return data


def _sound(name: str, manifest: Manifest) -> Manifest:
    """The manifest, if what it names can be kept and used."""
    ids = [
        *(shelf.id for shelf in manifest.shelves),
        *(template.id for template in manifest.templates),
        *(passage.id for passage in manifest.passages),
        *(fact.name for fact in manifest.facts),
        *manifest.frames,
    ]
    if not all(0 < len(key) <= _LONGEST_ID and key.isprintable() for key in ids):
        raise _refused(name, "something in it has a name that cannot be kept")
    titles = [*(t.title for t in manifest.templates), *(s.name for s in manifest.shelves)]
    if not all(0 < len(title) <= _LONGEST_TITLE for title in titles):
        raise _refused(name, "something in it has a title that is empty or too long")
    for template in manifest.templates:
        if why := unsound(template.content):
            raise _refused(name, f"the template {template.id} {why}")
    days = manifest.days
    if days and not is_sound(days):
        raise _refused(name, "it counts with working days that are none")
    for passage in manifest.passages:
        if why := unsound(Content(passage.texts, passage.placeholders)):
            raise _refused(name, f"the passage {passage.id} {why}")
    return manifest


def _sha256(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _manifest(name: str, data: bytes) -> Manifest:
    try:
        head = msgspec.json.decode(data, type=dict[str, msgspec.Raw])
        version = msgspec.json.decode(head.get("version", msgspec.Raw(b"0")), type=int)
        if msgspec.json.decode(head.get("format", msgspec.Raw(b'""'))) != FORMAT:
            raise _refused(name, "it is no Nebbet pack")
        if version > VERSION:
            raise _refused(name, "it was made by a newer Nebbet")
        return msgspec.json.decode(data, type=Manifest)
    except UNREADABLE as error:
        raise _refused(name, f"its manifest cannot be read ({str(error)[:200]})") from None


def _whole(name: str, template: PackedTemplate, data: Mapping[str, bytes]) -> PackedTemplate:
    """A template with its bodies in their places."""
    texts = {}
    for code, text in template.content.texts.items():
        body = data.get(template.bodies.get(code, ""))
        if body is None:
            raise _refused(name, f"the text of {template.id} is missing")
        texts[code] = replace(text, body=body.decode("utf-8", "replace"))
    return replace(template, content=replace(template.content, texts=texts), bodies={})


def manifest_schema() -> bytes:
    """The JSON schema of a pack's manifest, as it is published in docs/pack.schema.json."""
    made = msgspec.json.schema(Manifest, schema_hook=lambda _kind: {"description": "any value"})
    return msgspec.json.format(msgspec.json.encode(made), indent=1)

"""Writing a pack."""

import hashlib
import re
import zipfile
from collections.abc import Collection, Iterable
from pathlib import Path

import msgspec
from msgspec.structs import replace

from nebbet.core.body import BUILT_IN
from nebbet.core.letter.files import files_in, files_in_text
from nebbet.core.letter.signature import SIGNATURE
from nebbet.core.records import fold
from nebbet.library.catalogue import Catalogue
from nebbet.library.disk import disk_explained, put_in_place
from nebbet.library.holdings import Shelf, Template
from nebbet.library.packs import FORMAT, MANIFEST, VERSION, Manifest, PackedTemplate
from nebbet.library.rows import kept_calendar
from nebbet.library.store import Library
from nebbet.library.users import Users, users_in

_UNNAMEABLE = re.compile(r"[^a-z0-9]+")
_ALWAYS = (1980, 1, 1, 0, 0, 0)  # the same library gives the same bytes


def write_pack(
    library: Library,
    catalogue: Catalogue,
    path: Path,
    *,
    chosen: Collection[str] | None = None,
    overwrite: bool = False,
) -> int:
    """Write everything shared into a zip, or the chosen templates with all that they need, wholly
    or not at all, and return how many templates it has. Private shelves, people, letters and cases
    stay out. Raises NebbetError where there is such a file and nobody said that it may be
    overwritten."""
    shared = {shelf.id for shelf in catalogue.shared_shelves}
    wanted = [t for t in catalogue.templates.values() if t.shelf in shared and t.edition]
    if chosen is None:
        needed = catalogue
    else:
        wanted = [template for template in wanted if template.id in chosen]
        needed = _needed(catalogue, wanted)
    templates: list[PackedTemplate] = []
    bodies: dict[str, str] = {}
    for number, found in enumerate(sorted(wanted, key=lambda t: t.id)):
        folder = f"texts/{number:04}-{_slug(found.title)}"
        names = {code: f"{folder}/{code}.html" for code in found.content.texts}
        bodies |= {names[code]: text.body for code, text in found.content.texts.items()}
        empty = {code: replace(text, body="") for code, text in found.content.texts.items()}
        content = replace(found.content, texts=empty)
        templates.append(
            PackedTemplate(
                found.id, found.shelf, found.title, found.state, found.pinned, content, names
            )
        )
    held = {name: body.encode("utf-8") for name, body in bodies.items()}
    held |= {f"files/{sha256}": library.file_bytes(sha256) for sha256 in sorted(needed.files)}
    manifest = Manifest(
        FORMAT,
        VERSION,
        tuple(needed.shared_shelves),
        tuple(templates),
        tuple(needed.passages[key] for key in sorted(needed.passages.keys() - {SIGNATURE})),
        {key: needed.frames[key] for key in sorted(needed.frames.keys() - BUILT_IN.keys())},
        tuple(needed.facts[key] for key in sorted(needed.facts)),
        {key: needed.files[key] for key in sorted(needed.files)},
        kept_calendar(catalogue.calendar),
        {name: hashlib.sha256(data).hexdigest() for name, data in held.items()},
    )
    _write(path, {MANIFEST: msgspec.json.format(msgspec.json.encode(manifest), indent=1), **held},
           overwrite=overwrite)  # fmt: skip
    return len(templates)


def _write(path: Path, held: dict[str, bytes], *, overwrite: bool) -> None:
    part = path.with_name(f"{path.name}.part")
    with disk_explained(f"{path.name} cannot be written", "Nothing was written"):
        with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as pack:
            for name, data in held.items():
                entry = zipfile.ZipInfo(name, _ALWAYS)
                entry.compress_type = zipfile.ZIP_DEFLATED
                pack.writestr(entry, data)
        try:
            put_in_place(part, path, overwrite=overwrite)
        finally:
            part.unlink(missing_ok=True)


def _needed(catalogue: Catalogue, wanted: Iterable[Template]) -> Catalogue:
    """What some templates need of a library: the shelves they stand on with those around these,
    and all that they say, include, look like and enclose."""
    wanted = list(wanted)
    keys = {template.id for template in wanted}
    users = users_in(catalogue)
    passages = {k: p for k, p in catalogue.passages.items() if keys & {*users.of_passage(k)}}
    frames = {k: f for k, f in catalogue.frames.items() if keys & {*users.of_frame(k)}}
    files = {file for template in wanted for file in files_in(template.content)}
    files |= {f for p in passages.values() for t in p.texts.values() for f in files_in_text(t)}
    files |= {frame.logo for frame in frames.values() if frame.logo}
    return replace(
        catalogue,
        shelves=_around(catalogue, {template.shelf for template in wanted}),
        passages=passages,
        frames=frames,
        facts={k: f for k, f in catalogue.facts.items() if _says(users, k, keys)},
        files={key: catalogue.files[key] for key in files if key in catalogue.files},
    )


def _says(users: Users, fact: str, keys: set[str]) -> bool:
    return bool(keys & {*users.of_fact(fold(fact))})


def _around(catalogue: Catalogue, wanted: set[str]) -> tuple[Shelf, ...]:
    by_id = {shelf.id: shelf for shelf in catalogue.shelves}
    found: set[str] = set()
    for shelf in wanted:
        at = shelf
        while at in by_id and at not in found:
            found.add(at)
            at = by_id[at].parent
    return tuple(shelf for shelf in catalogue.shelves if shelf.id in found)


def _slug(title: str) -> str:
    return _UNNAMEABLE.sub("-", title.casefold()).strip("-")[:60] or "template"

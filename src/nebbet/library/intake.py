"""Taking files into the library: pictures that a text shows, and files that become templates."""

import io
import mimetypes
from base64 import b64decode
from binascii import Error as NotBase64
from collections.abc import Mapping
from pathlib import Path
from urllib.parse import unquote, urlsplit

from msgspec import Struct
from msgspec.structs import replace

from nebbet.core import body
from nebbet.core.body import Body
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Enclosure, TemplateDraft
from nebbet.core.message import importing
from nebbet.library.disk import read_file
from nebbet.library.store import Library

MOST_PIXELS = 40 * 10**6
_KINDS = {"PNG": "image/png", "JPEG": "image/jpeg", "GIF": "image/gif", "WEBP": "image/webp"}


def put_picture(library: Library, data: bytes, name: str) -> str:
    """Keep a picture that a text is to show, and return its SHA-256.

    Raises NebbetError for what is no picture that mail programs show, or one of so many pixels
    that it would fill the memory.
    """
    return library.put_file(data, name, _kind_of_picture(data, name))


def _kind_of_picture(data: bytes, name: str) -> str:
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(io.BytesIO(data), formats=list(_KINDS)) as found:
            kind, (width, height) = _KINDS[str(found.format)], found.size
    except (Image.DecompressionBombError, Image.DecompressionBombWarning):
        kind, width, height = "", MOST_PIXELS, 2
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError):
        raise NebbetError(
            f"{name} is not a picture that mail programs show",
            kept="It was not put in",
            advice="Save it as PNG or JPEG",
        ) from None
    if width * height > MOST_PIXELS:
        raise NebbetError(
            f"{name} has more than {MOST_PIXELS // 10**6} million pixels",
            kept="It was not put in",
            advice="Make it smaller first: 1,200 pixels wide is plenty for a letter",
        )
    return kind


def fetch_pictures(
    library: Library, markup: str, held: Mapping[str, bytes], folder: Path | None = None
) -> dict[str, str]:
    """Take the pictures of some markup that are at hand into the library: their SHA-256 by address.

    held are those that came along with it; others are looked for in the markup itself (data:) and,
    where a person chose a page, in the folder of that page. Nothing is fetched from elsewhere: what
    was sent or copied could else put any file of this computer before the whole team.
    """
    found: dict[str, str] = {}
    for address in importing.picture_addresses(markup):
        data = held.get(address) or _at_hand(address, folder)
        if data:
            name = unquote(urlsplit(address).path).rpartition("/")[2] if len(address) < 300 else ""
            try:
                found[address] = put_picture(library, data, name or "picture")
            except NebbetError:
                continue  # it leaves a prompt in the text, which the checks find
    return found


def _at_hand(address: str, folder: Path | None) -> bytes | None:
    scheme = address.partition(":")[0].casefold() if ":" in address[:8] else ""
    if scheme == "data":
        head, _, text = address.partition(",")
        try:
            return b64decode(text, validate=False) if "base64" in head else None
        except NotBase64:
            return None
    if scheme or folder is None:
        return None
    try:
        inside = folder.resolve()
        path = (inside / unquote(address.partition("?")[0])).resolve()
        if not path.is_relative_to(inside):
            return None
        return read_file(path, path.name, largest=importing.LARGEST)
    except (OSError, ValueError, NebbetError):
        return None


def read_pasted(library: Library, markup: str) -> Body:
    """What pasted HTML becomes, with its pictures taken into the library as far as they are at
    hand."""
    return body.read_foreign(markup, fetch_pictures(library, markup, {}))


class Taken(Struct, frozen=True):
    """A template that was made of a file: its id, what it holds, and what was left out of it."""

    id: str
    draft: TemplateDraft
    removed: tuple[str, ...] = ()


def take_in(
    library: Library,
    path: Path,
    shelf: str,
    template_id: str,
    *,
    language: str = "en_GB",
    finished: bool = False,
) -> Taken:
    """Make a template of a file. It is a draft: nothing is in use before somebody has seen it.

    Raises NebbetError with one clear sentence when the file cannot be read or used.
    """
    kept = "No template was made of it"
    data = read_file(path, path.name, kept, importing.LARGEST)
    found = importing.read_file(path.name, data)
    folder = path.parent if path.suffix.casefold() in importing.PAGES else None
    pictures = fetch_pictures(library, found.markup, found.pictures, folder)
    content, removed = importing.content_of(found, pictures, language, finished=finished)
    content = replace(
        content, enclosures=tuple(_enclosure(library, *held) for held in found.attachments)
    )
    title = found.title[:200]
    library.add_template(template_id, shelf, title)
    return Taken(template_id, TemplateDraft(title, shelf, content), removed)


def _enclosure(library: Library, name: str, data: bytes) -> Enclosure:
    media_type = mimetypes.guess_type(name)[0] or "application/octet-stream"
    return Enclosure(library.put_file(data, name, media_type), name, media_type, len(data))

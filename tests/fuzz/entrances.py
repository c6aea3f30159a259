"""Every entrance through which something of others comes in: samples, and what is done with them.

An entrance may refuse with a NebbetError and with nothing else, within limits of time and memory.
"""

import random
import shutil
import sys
import zipfile
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from io import BytesIO
from pathlib import Path
from unittest import mock

import click
from msgspec import Struct
from msgspec.structs import replace

from nebbet.cli import main as commands
from nebbet.core import addresses, checks, dates, placeholders, sums, values
from nebbet.core import letter as letters
from nebbet.core.body import clean_markup, from_text, read, read_foreign, render_email, render_plain
from nebbet.core.errors import NebbetError
from nebbet.core.message.compose import compose
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.message.importing import content_of, read_file, with_blanks
from nebbet.core.message.received import open_message
from nebbet.core.placeholders import Placeholder, typed
from nebbet.core.records import Case, Contact, Member
from nebbet.library.catalogue import Catalogue, seen_by
from nebbet.library.checking import problems
from nebbet.library.pack_in import take_pack
from nebbet.library.pack_out import write_pack
from nebbet.library.packs import read_pack
from nebbet.library.store import open_library
from nebbet.library.writing import begin_for
from nebbet.personal import open_letters, outbox, own_templates, tables
from nebbet.personal.settings import Account, read_settings
from nebbet.post import bounded, imap
from nebbet.post.smtp import deliver
from nebbet.standin.filling import make_library
from tests.conftest import NOW
from tests.fuzz.mutating import flipped, mutated
from tests.post.hostile import server

PASTE = Path(__file__).parents[1] / "core" / "paste"
Act = Callable[[bytes], object]


class Entrance(Struct):
    """samples are mutated unless bad makes bad input of one in another way."""

    name: str
    samples: list[bytes]
    act: Act
    bad: Callable[[bytes, list[bytes], random.Random], bytes] = mutated
    seconds: float = 20.0  # for one piece of bad input


def entrances(folder: Path) -> list[Entrance]:
    """All of them, with their files in a folder."""
    pages = [path.read_bytes() for path in sorted(PASTE.glob("*.html"))]
    texts = [path.read_bytes() for path in sorted(PASTE.glob("*.txt"))]
    made = _library(folder)
    return [
        Entrance("paste", pages, _paste),
        Entrance("plain text", texts, lambda data: from_text(data.decode("utf-8", "replace"))),
        Entrance("import", [*pages, *texts, *_MESSAGES], _import),
        Entrance("messages", _MESSAGES, _message),
        Entrance("expressions", _EXPRESSIONS, _expression),
        Entrance("typed values", _TYPED, _typed),
        Entrance(
            "addresses", _ADDRESSES, lambda data: addresses.read(data.decode("utf-8", "replace"))
        ),
        Entrance("filling", _TEXTS, _fill),
        Entrance("values", _VALUES, _values),
        Entrance("settings", _SETTINGS, lambda data: _settings(data, folder)),
        Entrance("packs", [made.pack.read_bytes()], lambda data: _pack(data, made), _bad_pack),
        Entrance(
            "library files", [made.file.read_bytes()], lambda data: _open(data, folder), _flip
        ),
        Entrance("personal files", [_personal(folder)], lambda data: _own(data, folder), _flip),
        Entrance("smtp", _SMTP, _smtp, seconds=30),
        Entrance("imap", _IMAP, _imap, seconds=30),
        Entrance("commands", _COMMANDS, lambda data: _command(data, made)),
    ]


# Markup and messages


def _paste(data: bytes) -> None:
    text = data.decode("utf-8", "replace")
    body = read_foreign(text)
    render_plain(body)
    render_email(body)
    clean_markup(text)
    read(text)


def _import(data: bytes) -> None:
    for name in ("a.eml", "a.html", "a.md", "a.txt"):
        try:
            found = read_file(name, data)
        except NebbetError:
            continue
        for finished in (False, True):
            content, _ = content_of(found, {}, finished=finished)
            letter = letters.start("l", with_blanks(content), recipient=_HANNA)
            render_email(letter.body)
            checks.check(letter, (), lambda _file: True)


_MESSAGES = [
    b"From: Ana <ana@host.example>\r\nTo: bo@host.example, \"C, D\" <c@host.example>\r\nSubject: =?utf-8?B?"
    b"w7xiZXI=?=\r\nDate: Wed, 25 Nov 2026 09:30:00 +0000\r\nMIME-Version: 1.0\r\nContent-Type: multipart/mixed; "
    b"boundary=b\r\n\r\n--b\r\nContent-Type: text/html; charset=utf-8\r\nContent-Transfer-Encoding: quoted-printable"
    b"\r\n\r\n<p>Dear {{name}},</p><img src=3D\"cid:i1\">\r\n--b\r\nContent-Type: image/png; name=\"a.png\"\r\n"
    b"Content-ID: <i1>\r\nContent-Transfer-Encoding: base64\r\nContent-Disposition: inline; filename*0*=utf-8''a%20;"
    b" filename*1*=b.png\r\n\r\niVBORw0KGgo=\r\n--b\r\nContent-Type: message/rfc822\r\n\r\nSubject: inner\r\n\r\nx"
    b"\r\n--b--\r\n",
    b"Subject: plain\nFrom: a@b.example\nCc: \"x\" <y@z.example>\n\nDear [name],\n\n> quoted\n\n-- \nBo\n",
]  # fmt: skip


def _message(data: bytes) -> None:
    found = open_message(data)
    addresses.read(found.to)
    read(found.html)


# Words


_HANNA = Contact("c1", email="hanna@post.example", first_name="Hanna", last_name="Verrell")
_CASE = Case("k", "LS-1", fields={"fare": {"money": "148.50", "currency": "GBP"}, "n": 3,
                                  "day": {"date": "2026-11-26"}, "list": ["a", "b"]})  # fmt: skip
_EXPRESSIONS = [
    b"today + 7 working days", b"sailing - 45 minutes", b"today at 17:00 if after 16:00 count from tomorrow",
    b"last working day of the month", b"31 January + 1 month", b"fare * 75%", b"round(fare * 1.2, 0.05)",
    b"fare > 100 and n is not 3 or vip", b"days between today and sailing", b"n if n > 2 else 0",
    b"working days between 2026-01-01 and 2026-12-31", b"(((1 + 2) * 3) - 4) / 5", b"sum of list",
]  # fmt: skip


def _expression(data: bytes) -> None:
    text = data.decode("utf-8", "replace")
    named = {"sailing": datetime(2026, 11, 26, 16, 30), "fare": values.Money(Decimal("148.50"), "GBP"),
             "n": Decimal(3), "vip": True, "list": ("a", "b")}  # fmt: skip
    calendar = dates.calendar_for("GB-SCT")
    for attempt in (
        lambda: dates.explain(dates.work_out(dates.read(text), NOW.replace(tzinfo=None), calendar,
                                             {"sailing": datetime(2026, 11, 26, 16, 30)})),
        lambda: sums.work_out(sums.read(text), sums.Scope(lambda name: named.get(name, Decimal(1)), date(2026, 11, 25),
                                                          calendar, str)),
        lambda: dates.calendar_for(text[:20]),
    ):  # fmt: skip
        try:
            attempt()
        except NebbetError:
            continue


_TYPED = [b"25 November 2026", b"25/11/26 17:30", b"1,234.50", b"GBP 12.50", "12,50 €".encode(), b"yes", b"half past 5",
          b"https://host.example/a?b=c", b"17:30", b"25. november", b"2026-11-25T17:30"]  # fmt: skip


def _typed(data: bytes) -> None:
    text = data.decode("utf-8", "replace")
    for kind in ("text", "number", "money", "date", "time", "link", "choice", "yes/no"):
        for language in ("en_GB", "de", "nb", "fr"):
            placeholder = Placeholder(
                "x", kind=kind, pattern="[a-z]+(x|y)*" if kind == "text" else ""
            )  # type: ignore[call-arg,arg-type]
            try:
                typed.read(text, placeholder, language, date(2026, 11, 25))
            except NebbetError:
                continue


_ADDRESSES = [
    b"ana@host.example",
    b'"Roy, Ana" <ana@host.example>; bo@host.example',
    "ü <a@bücher.example>".encode(),
]
_TEXTS = [
    b"Dear {{ First Name|upper }},\n\\{{x}} {{name|else: friend}} {{n|one: day|many: days}}",
    b"{{ a }} {b} {{c",
]


def _fill(data: bytes) -> None:
    text = data.decode("utf-8", "surrogateescape")
    placeholders.fill(text, {"first_name": "Ana", "n": Decimal(2)}, "en_GB")
    checks.check(letters.Letter("l", subject=(text,), body=from_text(text)), (), lambda _file: True)


_VALUES = [
    b'{"name": "Ana", "when": {"date": "2026-11-25"}, "fare": {"money": "1.50", "currency": "GBP"}, "n": [1, 2.5]}'
]


def _values(data: bytes) -> None:
    import json

    try:
        raw = json.loads(data.decode("utf-8", "replace"))
    except (ValueError, RecursionError):
        return
    if isinstance(raw, dict):
        values.mapping_from_json(raw)


_SETTINGS = [
    b'member = "ana"\nlibrary = "postgresql://a@h/d"\nhold_seconds = 10\n[account]\nuser = "a@b.example"\n'
]


def _settings(data: bytes, folder: Path) -> None:
    path = folder / "config.toml"
    path.write_bytes(data)
    read_settings(path)


# Libraries and packs


class Made(Struct):
    """A filled library: its file, a pack of it, and an empty one."""

    file: Path
    pack: Path
    empty: Path
    home: Path


def _library(folder: Path) -> Made:
    home = folder / "home"
    home.mkdir()
    file, empty, pack = home / "library.sqlite", folder / "empty.sqlite", folder / "whole.zip"
    make_library(file, folder / "mail", NOW, past=False)
    library = open_library(file)
    write_pack(library, seen_by(library.catalogue(NOW), ""), pack)
    library.engine.dispose()
    open_library(empty).close()
    return Made(file, pack, empty, home)


def _bad_pack(sample: bytes, others: list[bytes], dice: random.Random) -> bytes:
    """Now the zip itself, now what it says, with hashes that are right."""
    if not dice.randrange(3):
        return mutated(sample, others, dice)
    import hashlib
    import json

    with zipfile.ZipFile(BytesIO(sample)) as pack:
        held = {name: pack.read(name) for name in pack.namelist()}
    manifest = json.loads(held.pop("manifest.json"))
    _twist(manifest, dice, dice.randint(1, 4))
    name = dice.choice(sorted(held))
    if name.startswith("texts/"):
        held[name] = mutated(held[name], list(held.values())[:5], dice)
        if isinstance(manifest.get("hashes"), dict):
            manifest["hashes"][name] = hashlib.sha256(held[name]).hexdigest()
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
        for entry, data in [("manifest.json", json.dumps(manifest).encode()), *held.items()]:
            pack.writestr(entry, data)
    return out.getvalue()


_ODD: list[object] = [
    None, "", "x" * 5000, 0, -1, 10**30, 1.5, True, [], {}, "utils", "{{a|else:<script>}}", "../x", "\ud800", "today +",
    "/dev/zero", "javascript:x()", [[[[]]]], {"": {}}, "a\r\nBcc: x@y.example",
]  # fmt: skip


def _twist(value: object, dice: random.Random, times: int) -> None:
    """Put something odd somewhere into JSON."""
    for _ in range(times):
        at = value
        while True:
            keys = (
                list(at) if isinstance(at, dict) else range(len(at)) if isinstance(at, list) else []
            )
            if not keys:
                break
            key = dice.choice(list(keys))
            inner = at[key]  # type: ignore[index]
            if not isinstance(inner, dict | list) or not inner or not dice.randrange(4):
                at[key] = dice.choice(_ODD)  # type: ignore[index]
                break
            at = inner


def _pack(data: bytes, made: Made) -> None:
    path, file = made.pack.with_name("bad.zip"), made.empty.with_name("taken.sqlite")
    path.write_bytes(data)
    pack = read_pack(path)
    shutil.copy(made.empty, file)
    library = open_library(file)
    try:
        take_pack(library, pack, author="", made=NOW)
        _use(library.catalogue(NOW))
    finally:
        library.close()


_ME = Member("m1", "Benedek", "Roy", "benedek.roy@lisle.example")


def _use(catalogue: Catalogue) -> None:
    """Take every template for somebody, check it, and finish its message."""
    files = EncodedFiles(lambda _file: b"x")
    for template in list(catalogue.templates.values())[:12]:
        letter = begin_for(catalogue, template, "l", recipient=_HANNA, case=_CASE)
        world = catalogue.world(NOW, _ME, letter.language, _HANNA, _CASE, letter.calendar)
        letter, found = letters.work_out(letter, world)
        checks.check(letter, found, lambda _file: True)
        checks.check_content(catalogue.included(template.content), world)
        try:
            frame = catalogue.frame(letter.frame)
            compose(letter, _ME, now=NOW, token=lambda: "t", frame=frame, files=files)
        except NebbetError:
            continue


def _flip(sample: bytes, _others: list[bytes], dice: random.Random) -> bytes:
    return flipped(sample, dice)


def _open(data: bytes, folder: Path) -> None:
    path = folder / "flipped.sqlite"
    for old in folder.glob("flipped.sqlite*"):
        old.unlink()
    path.write_bytes(data)
    library = open_library(path)
    try:
        found = library.catalogue(NOW)
        for template in list(found.templates)[:5]:
            library.editions(template)
        for file in list(found.files)[:3]:
            try:
                library.file_bytes(file)
            except NebbetError:
                continue
        problems(library)
        _use(found)
    finally:
        library.close()


def _personal(folder: Path) -> bytes:
    from tests.post.conftest import make_item

    path = folder / "own.sqlite"
    engine = tables.open_personal(path)
    for number in range(5):
        item = make_item(_HANNA, _ME, lambda n=number: f"token{n}", f"l{number}")  # type: ignore[misc]
        if number % 2:
            outbox.enqueue(engine, item, NOW.timestamp(), {"a": "b"})
        else:
            open_letters.keep_letter(engine, item.letter, 1.0)
    own_templates.keep_draft(engine, "t", b"{}")
    own_templates.set_pinned(engine, ["t"], True)
    engine.dispose()
    return path.read_bytes()


def _own(data: bytes, folder: Path) -> None:
    path = folder / "turned.sqlite"
    for old in folder.glob("turned.sqlite*"):
        old.unlink()
    path.write_bytes(data)
    engine = tables.open_personal(path)
    try:
        for read_one in (
            outbox.recover, outbox.queued, outbox.looked_through, open_letters.open_letters, own_templates.drafts,
            open_letters.answers, own_templates.pins, lambda held: outbox.sent_item(held, "<t@x>"),
        ):  # fmt: skip
            try:
                read_one(engine)
            except NebbetError:
                continue
    finally:
        engine.dispose()


# Servers


_SMTP = [b"220 h.example\r\n\x01250-h.example\r\n250-STARTTLS\r\n250 AUTH PLAIN\r\n\x01220 go\r\n\x01",
         b"220-h\r\n220 h\r\n\x01250 h\r\n\x01454 4.7.0 no TLS\r\n", b"421 later\r\n", b"554 no\r\n"]  # fmt: skip
_IMAP = [b"* OK hi\r\n\x01* CAPABILITY IMAP4rev1 STARTTLS\r\nTAG OK done\r\n\x01TAG OK go\r\n\x01",
         b"* BYE no\r\n", b"* PREAUTH x\r\n", b"* OK {5}\r\nhello\r\n\x01"]  # fmt: skip


def _talking(data: bytes, act: Callable[[int], object]) -> None:
    said = iter(data.split(b"\x01")[1:])

    def answer(line: bytes) -> bytes:
        tag = line.split(b" ")[0]
        return next(said, b"500 no\r\n").replace(b"TAG", tag)

    with server(data.split(b"\x01")[0], answer) as port:
        act(port)


def _smtp(data: bytes) -> None:
    account = Account("a@b.example", "127.0.0.1", 0, "127.0.0.1", 0)
    _talking(data, lambda port: deliver(replace(account, smtp_port=port), "pw", "a@b.example", ["c@d.example"],
                                        b"x\r\n", timeout=0.4))  # fmt: skip


def _imap(data: bytes) -> None:
    account = Account("a@b.example", "127.0.0.1", 0, "127.0.0.1", 0)
    held, bounded.SECONDS = bounded.SECONDS, 0.8

    def act(port: int) -> None:
        with imap.mailbox(replace(account, imap_port=port), "pw", 0.4):
            pass

    try:
        _talking(data, act)
    finally:
        bounded.SECONDS = held


# Commands

_COMMANDS = [
    b"date\x00today + 7 working days\x00--on\x002026-11-25\x00--calendar\x00GB-SCT", b"date\x00today\x00--year\x00--on\x009999-12-31",
    b"work\x001 + 2\x00--half-up", b"mailto\x00--to\x00a@b.example\x00--body\x00x", b"render\x00refund-agreed\x00--to\x00hanna",
    b"check\x00refund-agreed\x00--json", b"find\x00refund", b"library\x00report", b"library\x00check", b"export\x00refund-agreed\x00--html",
    b"library\x00report\x00--at\x00postgresql:", b"outbox\x00--json", b"date\x00today\x00--calendar\x00utils",
]  # fmt: skip


def _command(data: bytes, made: Made) -> None:
    import contextlib
    import io
    import os

    words = [word.decode("utf-8", "surrogateescape") for word in data.split(b"\x00")]
    os.environ["NEBBET_HOME"] = str(made.home)
    held = Path.cwd()
    os.chdir(made.home)
    out = io.TextIOWrapper(io.BytesIO(), "utf-8", errors="backslashreplace")
    try:
        if words[0] in ("demo",) or "init" in words or "copy" in words or not words[0]:
            return
        with (
            contextlib.redirect_stdout(out),
            contextlib.redirect_stderr(out),
            # Words of which none is left open the window; nobody is there to close it.
            mock.patch.dict(sys.modules, {"nebbet.cli.window": mock.Mock()}),
        ):
            commands.main(words, standalone_mode=False)
    except (click.ClickException, click.Abort, click.exceptions.Exit):
        return
    finally:
        os.chdir(held)

"""What several tests of the library put into one, and how they come to it."""

import psycopg

from nebbet.core.letter import Content, Enclosure, Texts
from nebbet.core.placeholders import Placeholder
from nebbet.core.records import Member
from nebbet.library.store import Library, open_library
from tests.conftest import NOW
from tests.library.conftest import in_database

CONTENT = Content(
    texts={
        "en_GB": Texts("Hello {{name}}", "<p>Hi</p>\n"),
        "fr": Texts("Bonjour", "<p>Salut</p>\n"),
    },
    placeholders=(Placeholder("name", source="recipient", of="first_name"),),
    enclosures=(Enclosure("f" * 64, "A.pdf", "application/pdf", 3),),
)
OTTILIE = Member("ottilie", "Ottilie", "Marsh", "o@lisle.example", role="lead")
SAOIRSE = Member("saoirse", "Saoirse", "Pell", "s@lisle.example")
IVO = Member("ivo", "Ivo", "Lindqvist", "i@lisle.example")


def save(library: Library, content: Content = CONTENT, title: str = "Hello", note: str = "") -> int:
    return library.save_edition("t1", title, content, author="m1", note=note, made=NOW)


def client(team: str, member: str) -> psycopg.Connection:
    """A plain database client, under a member's login."""
    return psycopg.connect(
        login(team, member), autocommit=True, options="-c search_path=nebbet,pg_temp"
    )


def login(team: str, member: str) -> str:
    return in_database(team, team.partition("?")[0].rpartition("/")[2], f"nb_{member}")


def opened(team: str, member: str) -> Library:
    return open_library(login(team, member))

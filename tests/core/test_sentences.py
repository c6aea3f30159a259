"""Sentences are said in the language of the interface, with their values where they belong."""

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po

from nebbet.core import sentences
from nebbet.core.sentences import counted, said

ROOT = Path(__file__).parent.parent.parent


@pytest.fixture
def in_norwegian(tmp_path: Path) -> Iterator[None]:
    catalogue = Catalog("nb")
    catalogue.add("The letter to {name} goes in {seconds} seconds.",
                  "Om {seconds} sekunder går brevet til {name}.")  # fmt: skip
    catalogue.add(("1 letter waits.", "{count} letters wait."),
                  ("1 brev venter.", "{count} brev venter."))  # fmt: skip
    folder = tmp_path / "nb" / "LC_MESSAGES"
    folder.mkdir(parents=True)
    with (folder / "nebbet.mo").open("wb") as opened:
        write_mo(opened, catalogue)
    sentences.use(tmp_path, ["nb_NO", "en"])
    yield
    sentences.use(tmp_path / "nowhere", [])


def test_a_language_orders_its_words_as_it_must(in_norwegian: None) -> None:
    words = said("The letter to {name} goes in {seconds} seconds.", name="Ana", seconds=9)
    assert words == "Om 9 sekunder går brevet til Ana."
    assert counted("1 letter waits.", "{count} letters wait.", count=3) == "3 brev venter."
    assert said("What nobody has translated: {x}", x="{braces}") == (
        "What nobody has translated: {braces}"
    )


def test_english_without_a_catalogue() -> None:
    assert counted("1 letter waits.", "{count} letters wait.", count=1) == "1 letter waits."
    assert counted("1 letter waits.", "{count} letters wait.", count=0) == "0 letters wait."


def test_what_is_said_can_be_listed_for_translators(tmp_path: Path) -> None:
    made = tmp_path / "nebbet.pot"
    words = ["-m", "babel.messages.frontend", "-q", "extract", "--no-default-keywords"]
    words += ["-k", "said", "-k", "counted:1,2", "-o", str(made), str(ROOT / "src" / "nebbet")]
    subprocess.run([sys.executable, *words], check=True, timeout=60)
    with made.open("rb") as opened:
        ids = [message.id for message in read_po(opened)]
    assert "The letter to {name} goes in {seconds} seconds." in ids
    assert any(isinstance(one, tuple) and "{count}" in one[1] for one in ids)
    assert len(ids) > 50

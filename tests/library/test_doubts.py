"""Checks do not cry wolf: the demo's past letters, by the rules that hold today."""

from datetime import UTC, datetime
from pathlib import Path

import pytest

from nebbet.core.checks import Finding
from nebbet.core.letter import Letter
from nebbet.library import writing
from nebbet.library.catalogue import Catalogue
from nebbet.library.writing import Examined, Writer
from nebbet.standin import history
from nebbet.standin.filling import make_library

NOW = datetime(2026, 11, 25, 10, tzinfo=UTC)
MOST = 20  # letters to one doubt: more, and nobody reads them any more (no source)


def test_at_most_one_in_twenty_past_letters_has_a_doubt(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    found: list[tuple[str, tuple[Finding, ...]]] = []

    def examine(catalogue: Catalogue, letter: Letter, writer: Writer) -> Examined:
        examined = writing.examine(catalogue, letter, writer)
        found.append((letter.template, examined.findings))
        return examined

    monkeypatch.setattr(history, "examine", examine)
    (tmp_path / "mail").mkdir()
    make_library(tmp_path / "library.sqlite", tmp_path / "mail", NOW, past=True)
    doubted = [
        (template, [f.sentence for f in findings if f.severity == "doubt"])
        for template, findings in found
        if any(f.severity == "doubt" for f in findings)
    ]
    assert len(found) > 30
    assert len(doubted) * MOST <= len(found), doubted

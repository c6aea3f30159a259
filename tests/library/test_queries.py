"""Finding templates by what people type, compared with an independent ranking.

Source: rank-bm25 (BM25 as Okapi had it: Robertson and others, TREC-3, 1994), over the same words of
the same templates. The queries are invented.
"""

from datetime import UTC, datetime

import pytest
from rank_bm25 import BM25Okapi  # type: ignore[import-untyped]

from nebbet.core.characters import folded
from nebbet.core.ranking.words import raw_words
from nebbet.library.catalogue import Catalogue
from nebbet.library.search import found_by, make_finder
from nebbet.library.store import open_library
from nebbet.standin.filling import make_library
from tests.library.queries import QUERIES

NOW = datetime(2026, 11, 25, 10, tzinfo=UTC)


@pytest.fixture(scope="module")
def catalogue(tmp_path_factory: pytest.TempPathFactory) -> Catalogue:
    folder = tmp_path_factory.mktemp("demo")
    make_library(folder / "library.sqlite", folder / "mail", NOW, past=False)
    return open_library(folder / "library.sqlite").catalogue(NOW)


def test_what_is_meant_never_stands_lower_than_by_plain_ranking(catalogue: Catalogue) -> None:
    assert len(QUERIES) >= 90
    index = make_finder(catalogue, NOW).templates
    shelves = {shelf.id: shelf.name for shelf in catalogue.shelves}
    keys = list(catalogue.templates)
    texts = [
        [folded(word) for _, text in found_by(catalogue, template, shelves)
         for word in raw_words(text)]
        for template in catalogue.templates.values()
    ]  # fmt: skip
    plain = BM25Okapi(texts)
    lower = {}
    for words, meant in QUERIES:
        scores = plain.get_scores([folded(word) for word in raw_words(words)])
        its_own = scores[keys.index(meant)]
        by_plain = 1 + sum(score > its_own for score in scores)
        found = index.search(words).keys
        here = found.index(meant) + 1 if meant in found else len(keys)
        if here > by_plain:
            lower[words] = (here, by_plain)
    assert lower == {}


def test_most_of_what_is_meant_comes_first(catalogue: Catalogue) -> None:
    index = make_finder(catalogue, NOW).templates
    first = sum(index.search(words).keys[:1] == [meant] for words, meant in QUERIES)
    top = sum(meant in index.search(words).keys[:3] for words, meant in QUERIES)
    assert first >= 0.8 * len(QUERIES), first
    assert top >= 0.95 * len(QUERIES), top

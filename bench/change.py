"""One change in a small and in a large library: a template among 100 and 10,000, a case among 100
and 100,000. Reading it, having it found, and the window's thread taking it up; each as a ratio of
what it costs in the small one, beside reading and indexing the large one whole.
"""

import gc
import os
import statistics
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from library import NOW, fill, seconds
from PySide6.QtWidgets import QApplication

from nebbet.core.records import Case, Contact
from nebbet.desktop import application
from nebbet.desktop.kit import theme
from nebbet.desktop.window import Window
from nebbet.library.people_writing import Changed
from nebbet.library.search import make_finder
from nebbet.library.store import Library, open_library
from nebbet.personal.home import home_in
from nebbet.personal.secrets import SessionSecrets

TIMES = 9
Cost = dict[str, float]


def put_records(library: Library, number: int) -> None:
    """So many cases, and a contact for every two of them."""
    people = [Contact(f"c{n:06}", f"p{n}@x.example", "", f"P{n}") for n in range(number // 2)]
    cases = [
        Case(f"k{n:06}", f"LS-{n:06}", "booking", f"Booking {n}", f"c{n // 2:06}", {"fare": str(n)})
        for n in range(number)
    ]
    library.change_people([Changed(None, record) for record in (*people, *cases)])


def save_template(library: Library, count: int) -> None:
    template = library.editions("t00007")[0]
    library.save_edition(
        "t00007", f"Changed {count}", template.content, author="lead", note="", made=NOW
    )


def save_case(library: Library, count: int) -> None:
    library.put(
        Case("k000007", "LS-000007", f"Changed {count}", "booking", "c000003", {"fare": "7"})
    )


def cost(templates: int, records: int, act: Callable[[Library, int], None]) -> Cost:
    """What one change costs, in seconds, the median of some."""
    with tempfile.TemporaryDirectory() as folder:
        home = home_in(Path(folder))
        library = open_library(home.library_file)
        fill(library, templates)
        put_records(library, records)
        catalogue = library.catalogue(NOW)
        finder = make_finder(catalogue, NOW)
        whole = seconds(partial(library.catalogue, NOW)) + seconds(
            partial(make_finder, catalogue, NOW)
        )
        read, found = [], []
        for count in range(TIMES):
            act(library, count)
            began = time.perf_counter()
            catalogue, change = library.follow(NOW, catalogue)
            read.append(time.perf_counter() - began)
            assert change and not change.everything
            began = time.perf_counter()
            finder = make_finder(catalogue, NOW, known=finder, change=change)
            found.append(time.perf_counter() - began)
        shown = taking_up(Path(folder), library, act)
        library.close()
    middle = statistics.median
    return {"read": middle(read), "found": middle(found), "taken up": shown, "whole": whole}


def taking_up(folder: Path, library: Library, act: Callable[[Library, int], None]) -> float:
    """The longest that the window's thread is held while a change arrives, the Library shown."""
    window = Window(application.make_parts(home_in(folder), SessionSecrets({}), lambda: NOW))
    window.show()
    ready: list[int] = []
    window.session_made.connect(
        lambda session: session.shared.search.ready.connect(lambda: ready.append(1))
    )
    until(lambda: bool(ready))
    gc.freeze()  # as the application does at the end of its start
    window.go_to("Library")
    held = []
    for count in range(3):
        before = len(ready)
        act(library, TIMES + count)
        longest = 0.0
        window.session.shared.refresh()
        while len(ready) == before:
            longest = max(longest, seconds(QApplication.processEvents))
        held.append(max(longest, seconds(QApplication.processEvents)))
    window.notices.ask = lambda *_words: True  # type: ignore[method-assign]
    window.close()
    window.deleteLater()
    QApplication.processEvents()
    return statistics.median(held)


def until(true: Callable[[], bool]) -> None:
    deadline = time.monotonic() + 120
    while not true() and time.monotonic() < deadline:
        QApplication.processEvents()


def main() -> None:
    instance = QApplication([])
    theme.apply(instance)
    for what, small, large, act in (
        ("template among 100 and 10,000", (100, 100), (10_000, 100), save_template),
        ("case among 100 and 100,000", (100, 100), (100, 100_000), save_case),
    ):
        one, many = cost(*small, act), cost(*large, act)
        print(f"One {what}")
        for step in ("read", "found", "taken up"):
            print(
                f"  {step:9} {one[step] * 1000:7.1f} ms  {many[step] * 1000:7.1f} ms: "
                f"{many[step] / one[step]:.1f} times; the large one whole, read and indexed: "
                f"{many['whole'] / many[step]:.0f} times that"
            )


if __name__ == "__main__":
    main()

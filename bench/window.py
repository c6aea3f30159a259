"""Start and memory of the window on the demo, against a bare PySide6 window with a text edit.

Both run in a process of their own and are timed from before the process starts: until the window
is shown and answers (its event loop is idle), and for Nebbet also until the library, the pile and
the register are read and shown. Median of several runs, taken in turns.
"""

import os
import statistics
import subprocess
import sys
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path

RUNS = 7

SAY = """
import os, resource
from PySide6.QtCore import QTimer
def say(word):
    pages = int(open('/proc/self/statm').read().split()[1])
    print(word, pages * resource.getpagesize() // 1024, flush=True)
def idle(act):
    QTimer.singleShot(0, lambda: QTimer.singleShot(0, act))
def end():
    say('ready')
    os._exit(0)
"""

BARE = """
from PySide6.QtWidgets import QApplication, QMainWindow, QTextEdit
app = QApplication([])
window = QMainWindow()
window.setCentralWidget(QTextEdit())
window.resize(1280, 800)
window.show()
{say}
idle(end)
app.exec()
"""

NEBBET = """
{say}
from PySide6 import QtWidgets
say('Qt loaded')
from nebbet.cli.window import open_demo
say('what the window needs loaded')
def prepare(window):
    say('window made')
    idle(lambda: say('shown'))
    window.session_made.connect(lambda _session: say('the rest loaded'))
    window.opened.connect(lambda: idle(end))
open_demo(keep=True, prepare=prepare)
"""
STEPS = ("Qt loaded", "what the window needs loaded", "window made", "shown", "the rest loaded",
         "ready")  # fmt: skip


def run(code: str, home: Path) -> dict[str, tuple[float, int]]:
    """Seconds and resident memory in kB at each word that the process says."""
    started = time.perf_counter()
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "NEBBET_HOME": str(home)}
    command = [sys.executable, "-c", code.format(say=SAY)]
    found = {}
    with subprocess.Popen(command, stdout=subprocess.PIPE, env=environment, text=True) as process:
        assert process.stdout is not None
        for line in process.stdout:
            word, _, size = line.strip().rpartition(" ")
            found[word] = (time.perf_counter() - started, int(size))
    return found


def middle(runs: list[dict[str, tuple[float, int]]], word: str, which: int) -> float:
    """The median over the runs."""
    return statistics.median(run[word][which] for run in runs)


def main() -> None:
    from nebbet.personal.home import home_in
    from nebbet.standin import demo

    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder) / "demo"
        demo.prepare_demo(home_in(home), datetime.now(UTC)).stop()
        bare, ours = [], []
        for _ in range(RUNS):
            bare.append(run(BARE, home))
            ours.append(run(NEBBET, home))
    base, memory = middle(bare, "ready", 0), middle(bare, "ready", 1) / 1024
    baseline = f"times a bare PySide6 window with a text edit ({base:.2f} s)"
    for word, what in (("shown", "shown and answering"), ("ready", "with everything read")):
        seconds = middle(ours, word, 0)
        print(f"window on the demo, {what}: {seconds:.2f} s, {seconds / base:.2f} {baseline}")
    before = 0.0
    print("where the time goes, in milliseconds: ", end="")
    for word in STEPS:
        at = middle(ours, word, 0)
        print(f"{word} {(at - before) * 1000:.0f}", end="; " if word != "ready" else "\n")
        before = at
    size = middle(ours, "ready", 1) / 1024
    print(
        f"memory of the idle window: {size:.0f} MB, {size / memory:.2f} times the bare window "
        f"({memory:.0f} MB)"
    )


if __name__ == "__main__":
    main()

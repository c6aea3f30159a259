"""Start and memory of the window on the demo, against a bare PySide6 window with a text edit.

Both run in a process of their own and are timed from before the process starts until its window
is shown and its event loop is idle. Median of several runs, taken in turns.
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

TAIL = """
import resource, sys
from PySide6.QtCore import QTimer
def idle():
    pages = int(open('/proc/self/statm').read().split()[1])
    print(pages * resource.getpagesize() // 1024, flush=True)
    import os
    os._exit(0)
QTimer.singleShot(0, lambda: QTimer.singleShot(0, idle))
app.exec()
"""

BARE = """
from PySide6.QtWidgets import QApplication, QMainWindow, QTextEdit
app = QApplication([])
window = QMainWindow()
window.setCentralWidget(QTextEdit())
window.resize(1280, 800)
window.show()
"""

NEBBET = """
import pathlib
from nebbet.desktop import application
from nebbet.desktop.kit import theme
from nebbet.desktop.window import Window
from nebbet.post.home import home_in
from nebbet.post.secrets import SessionSecrets
from nebbet.standin import demo
from PySide6.QtWidgets import QApplication
home = home_in(pathlib.Path(r"{home}"))
service = demo.prepare_demo(home, application.local_now(), keep=True)
app = QApplication([])
theme.apply(app)
secrets = SessionSecrets({{demo.demo_settings(home).account.user: demo.PASSWORD}})
window = Window(application.make_parts(home, secrets))
window.show()
"""


def run(code: str) -> tuple[float, int]:
    """Seconds until idle, and resident memory in kB."""
    started = time.perf_counter()
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", code + TAIL], capture_output=True, env=environment, check=True
    )
    return time.perf_counter() - started, int(done.stdout)


def main() -> None:
    from nebbet.post.home import home_in
    from nebbet.standin import demo

    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder) / "demo"
        demo.prepare_demo(home_in(home), datetime.now(UTC)).stop()
        codes = {"bare": BARE, "nebbet": NEBBET.format(home=home)}
        found: dict[str, list[tuple[float, int]]] = {name: [] for name in codes}
        for _ in range(RUNS):
            for name, code in codes.items():
                found[name].append(run(code))
    times = {name: statistics.median(t for t, _m in runs) for name, runs in found.items()}
    memory = {name: statistics.median(m for _t, m in runs) for name, runs in found.items()}
    print(
        f"start of the window on the demo: {times['nebbet']:.2f} s, "
        f"{times['nebbet'] / times['bare']:.2f} times a bare PySide6 window with a text edit "
        f"({times['bare']:.2f} s); goal 2.5"
    )
    print(
        f"memory of the idle window: {memory['nebbet'] / 1024:.0f} MB, "
        f"{memory['nebbet'] / memory['bare']:.2f} times the bare window "
        f"({memory['bare'] / 1024:.0f} MB)"
    )


if __name__ == "__main__":
    main()

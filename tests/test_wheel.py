"""A wheel of Nebbet, installed into a fresh venv, starts; it brings along all that it needs."""

import os
import subprocess
import sys
import sysconfig
import venv
from pathlib import Path

import pytest

import nebbet

ROOT = Path(__file__).parent.parent
_OPEN = """
import os, sys
from nebbet.cli import window
def end(shown):
    def opened():
        print(len(shown.session.shared.catalogue.templates), flush=True)
        shown.notices.ask = lambda *_: True
        shown.close()
    shown.opened.connect(opened)
sys.exit(window.open_demo(keep=False, prepare=end))
"""


@pytest.fixture(scope="module")
def fresh(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of a venv that has Nebbet from a wheel, and what Nebbet depends on from here."""
    folder = tmp_path_factory.mktemp("fresh")
    pip = [sys.executable, "-m", "pip", "--disable-pip-version-check", "-q"]
    build = ["wheel", "--no-deps", "--no-index", "--no-build-isolation", "-w", str(folder)]
    subprocess.run([*pip, *build, str(ROOT)], check=True, timeout=120)
    (wheel,) = folder.glob("nebbet-*.whl")
    assert nebbet.__version__ in wheel.name
    made = folder / "venv"
    venv.create(made, with_pip=False)
    python = made / "bin" / "python"
    install = ["--python", str(python), "install", "--no-deps", "--no-index", str(wheel)]
    subprocess.run([*pip, *install], check=True, timeout=120)
    (packages,) = made.glob("lib/python*/site-packages")
    # Read after the venv's own: the Nebbet of this folder is not seen.
    (packages / "depended.pth").write_text(sysconfig.get_path("purelib") + "\n", "utf-8")
    return made


def run(fresh: Path, home: Path, *words: str) -> subprocess.CompletedProcess[str]:
    environment = {
        **{k: v for k, v in os.environ.items() if k != "PYTHONPATH"},
        "NEBBET_HOME": str(home),
        "QT_QPA_PLATFORM": "offscreen",
    }
    command = [str(fresh / "bin" / words[0]), *words[1:]]
    return subprocess.run(
        command, capture_output=True, text=True, env=environment, cwd=home, timeout=90, check=False
    )


def test_the_command_starts_from_a_wheel(fresh: Path, tmp_path: Path) -> None:
    done = run(fresh, tmp_path, "nebbet", "--version")
    assert done.stdout.strip().endswith(nebbet.__version__)
    done = run(fresh, tmp_path, "nebbet", "date", "today + 1 day", "--on", "2026-11-25")
    assert done.stdout.startswith("26 November 2026")
    where = run(fresh, tmp_path, "python", "-c", "import nebbet; print(nebbet.__file__)")
    assert str(fresh) in where.stdout
    assert (Path(where.stdout.strip()).parent / "py.typed").exists()


def test_the_window_opens_from_a_wheel(fresh: Path, tmp_path: Path) -> None:
    done = run(fresh, tmp_path, "python", "-c", _OPEN)
    assert (done.returncode, done.stdout.strip()) == (0, "40"), done.stderr[-2000:]

"""What is odd about the world round the command: each is one sentence."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from nebbet.personal.home import Home, home_in
from tests.cli.running import run, said


def test_without_a_library(tmp_path: Path) -> None:
    empty = home_in(tmp_path / "empty")
    for words in (("find", "x"), ("render", "x")):
        done = run(*words, home=empty)
        assert done.returncode == 2
        assert "There is no library at" in said(done)
    assert not empty.data.exists(), "looking makes nothing"


def test_a_library_that_is_none(tmp_path: Path) -> None:
    home = home_in(tmp_path)
    home.library_file.write_text("a shopping list")
    done = run("find", "x", home=home)
    assert done.returncode == 2
    assert "library.sqlite is not a Nebbet library. The file was not touched." in said(done)
    assert home.library_file.read_text() == "a shopping list"


def test_a_home_that_cannot_be_written() -> None:
    for words in (("outbox",), (), ("demo",)):
        done = run(*words, home=home_in(Path("/proc/nebbet")), QT_QPA_PLATFORM="offscreen")
        assert done.returncode == 2, words
        assert "The folder /proc/nebbet cannot be used" in said(done)


def test_without_a_screen(tmp_path: Path) -> None:
    none = {"DISPLAY": "", "WAYLAND_DISPLAY": "", "QT_QPA_PLATFORM": ""}
    done = run(home=home_in(tmp_path), **none)
    assert done.returncode == 2
    assert said(done).startswith("nebbet: There is no screen to open a window on.")


# What is not loaded


def test_no_verb_but_the_window_loads_qt_and_the_core_never_does() -> None:
    code = (
        "import sys; sys.modules['PySide6'] = None\n"
        "import pkgutil, importlib, nebbet.core, nebbet.cli.main\n"
        "for m in pkgutil.walk_packages(nebbet.core.__path__, 'nebbet.core.'):\n"
        "    importlib.import_module(m.name)\n"
        "heavy = {'sqlalchemy', 'alembic', 'holidays', 'keyring', 'PySide6.QtCore'}\n"
        "print(sorted({'holidays', 'keyring', 'alembic'} & set(sys.modules)))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, timeout=60, check=True)
    assert done.stdout.decode().strip() == "[]"


def test_help_and_version() -> None:
    for words in (("--help",), ("--version",), ("render", "--help")):
        assert run(*words).returncode == 0
    assert run("dance").returncode == 2


# What is odd about the world round the command


def test_a_full_disk_on_standard_output_is_one_sentence(home: Home) -> None:
    for words in (["mailto", "--to", "a@b.example"], ["find", "refund"], ["date", "today"]):
        with Path("/dev/full").open("wb") as full:
            done = subprocess.run(
                [str(Path(sys.executable).parent / "nebbet"), *words], stdout=full,
                stderr=subprocess.PIPE, env={**os.environ, "NEBBET_HOME": str(home.data)},
                timeout=60, check=False,
            )  # fmt: skip
        text = done.stderr.decode()
        assert "Traceback" not in text
        assert "no space left on device" in text
        assert done.returncode == 2


def test_a_closed_standard_input_is_one_sentence() -> None:
    command = f"{Path(sys.executable).parent / 'nebbet'} clean <&-"
    done = subprocess.run(["sh", "-c", command], capture_output=True, timeout=60, check=False)
    assert done.returncode == 2
    assert done.stderr.decode().startswith("nebbet: There is no standard input.")


@pytest.mark.parametrize(
    "words",
    [
        ("date", "today", "--year", "--on", "9999-06-01"),
        ("date", "today + 1 working day", "--on", "9999-12-31"),
        ("date", "today", "--calendar", "utils"),
        ("date", "today + 1 working day", "--calendar", "__init__"),
        ("library", "report", "--at", "postgresql:"),
        ("library", "report", "--at", "postgresql://"),
        ("library", "init", "postgresql://[::1"),
        ("work", "days between 0001-01-01 and 9999-12-31"),
        ("check", "/dev/zero.eml"),
        ("clean", "--nonsense"),
    ],
)
def test_odd_words_are_answered_with_a_sentence(words: tuple[str, ...], home: Home) -> None:
    done = run(*words, home=home)
    said(done)
    assert done.returncode in (0, 1, 2)


def test_words_and_names_that_are_no_text(home: Home, tmp_path: Path) -> None:
    """File names of Latin-1 and other bytes that are no UTF-8."""
    command = str(Path(sys.executable).parent / "nebbet").encode()
    name = os.fsencode(tmp_path) + b"/caf\xe9.txt"
    Path(os.fsdecode(name)).write_text("Subject: x\n\nDear [name],\n", "utf-8")
    for words in (
        [b"import", name], [b"find", b"\xe9\xff"], [b"render", b"\xe9"], [b"date", b"\xe9"],
        [b"mailto", b"--to", b"\xe9@b.example"], [b"check", b"/\xe9.eml"],
        [b"render", b"refund-agreed", b"--set", b"x=\xe9"],
    ):  # fmt: skip
        done = subprocess.run(
            [command, *words], capture_output=True, timeout=60, check=False,
            env={**os.environ, "NEBBET_HOME": str(home.data), "PYTHONUTF8": "1"},
        )  # fmt: skip
        assert b"Traceback" not in done.stderr, words
        assert done.returncode in (0, 1, 2)


def test_an_interrupt_is_one_at_any_moment() -> None:
    import signal
    import time

    for moment in (0.15, 0.3, 0.5):
        started = subprocess.Popen(
            # Whoever runs the tests behind a shell's “&” would hand on that interrupts are ignored.
            ["env", "--default-signal=INT", str(Path(sys.executable).parent / "nebbet"), "clean"],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
        )  # fmt: skip
        time.sleep(moment)  # how far the start has come is what is tried
        started.send_signal(signal.SIGINT)
        _, errors = started.communicate(timeout=30)
        assert b"nebbet" not in errors or b"Traceback" not in errors
        # Python itself drops an interrupt that falls into the clearing away of an object.
        dropped = b"Exception ignored" in errors
        assert dropped or started.returncode in (130, -signal.SIGINT, 1), errors


@pytest.mark.parametrize("words", [("export", "refund-agreed", "-o"), ("pack", "write")])
def test_nothing_is_written_over_unasked(
    words: tuple[str, ...], home: Home, tmp_path: Path
) -> None:
    kept = tmp_path / "kept.zip"
    kept.write_bytes(b"mine")
    done = run(*words, str(kept), home=home)
    assert "There is a file kept.zip already" in said(done)
    assert kept.read_bytes() == b"mine"
    assert run(*words, str(kept), "--overwrite", home=home).returncode == 0
    assert kept.read_bytes() != b"mine"


def test_own_files_are_closed_to_others_and_mended_at_start(tmp_path: Path) -> None:
    made = home_in(tmp_path / "own")
    old = os.umask(0o022)
    try:
        assert run("library", "init", home=made).returncode == 0
        assert run("outbox", home=made).returncode == 0
    finally:
        os.umask(old)
    assert made.data.stat().st_mode & 0o777 == 0o700
    assert made.personal_file.stat().st_mode & 0o777 == 0o600
    made.data.chmod(0o755)
    made.personal_file.chmod(0o644)
    assert run("outbox", home=made).returncode == 0
    assert made.data.stat().st_mode & 0o777 == 0o700
    assert made.personal_file.stat().st_mode & 0o777 == 0o600


# The barrier


def test_a_mistake_of_ours_is_a_sentence_and_a_trace_in_the_log(home: Home, tmp_path: Path) -> None:
    script = tmp_path / "broken.py"
    script.write_text(
        "import nebbet.cli.main as m, click\n"
        "@m.main.command()\n"
        "def broken():\n    raise RuntimeError('a mistake')\n"
        "from nebbet.cli.entry import main\nmain()\n",
        "utf-8",
    )
    done = subprocess.run(
        [sys.executable, str(script), "broken"], capture_output=True, timeout=60, check=False,
        env={**os.environ, "NEBBET_HOME": str(home.data)},
    )  # fmt: skip
    assert done.returncode == 2
    assert "Something in Nebbet itself went wrong" in said(done)
    log = home.data / "nebbet.log"
    assert "RuntimeError: a mistake" in log.read_text("utf-8")
    assert log.stat().st_mode & 0o777 == 0o600

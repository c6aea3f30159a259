"""Running the installed command."""

import os
import subprocess
import sys
from pathlib import Path

from nebbet.personal.home import Home


def run(
    *words: str, home: Home | None = None, text: str | bytes = "", **environment: str
) -> subprocess.CompletedProcess[bytes]:
    variables = {**os.environ, "PYTHONUTF8": "1", **environment}
    if home:
        variables["NEBBET_HOME"] = str(home.data)
    command = [str(Path(sys.executable).parent / "nebbet"), *words]
    data = text.encode() if isinstance(text, str) else text
    return subprocess.run(
        command, input=data, capture_output=True, env=variables, timeout=60, check=False
    )


def said(done: subprocess.CompletedProcess[bytes]) -> str:
    """The one line on standard error; never a traceback."""
    text = done.stderr.decode()
    assert "Traceback" not in text
    return text.strip()

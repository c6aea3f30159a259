"""Runs bad input through every entrance for some minutes, and says what got out.

python -m tests.fuzz.run MINUTES [SEED]
"""

import random
import resource
import signal
import sys
import tempfile
import time
import traceback
from collections import Counter
from pathlib import Path

from nebbet.core.errors import NebbetError
from tests.fuzz.entrances import Entrance, entrances

GROWTH = 1_500_000  # kB of memory that one piece of bad input may add
FOUND = Path(tempfile.gettempdir()) / "nebbet-fuzz"


class TooLong(BaseException):
    """One piece of bad input took more time than it may."""


def _alarm(_number: int, _frame: object) -> None:
    raise TooLong


def try_one(entrance: Entrance, data: bytes) -> str:
    """What got out, or nothing."""
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    signal.setitimer(signal.ITIMER_REAL, entrance.seconds)
    try:
        entrance.act(data)
    except NebbetError as error:
        said = error.sentence
        if not said or "\n" in said or "Traceback" in said or len(said) > 3000:
            return f"a sentence that is none: {said[:200]!r}"
    except TooLong:
        return (
            f"longer than {entrance.seconds} s: {''.join(traceback.format_exc().splitlines()[-3:])}"
        )
    except RecursionError:
        return "RecursionError"
    except Exception:
        return traceback.format_exc()
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
    grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
    return f"{grown} kB of memory" if grown > GROWTH else ""


def rounds(seconds: float, seed: int, only: str = "") -> tuple[Counter[str], list[tuple[str, str]]]:
    """How many pieces went through each entrance, and what got out of which."""
    dice = random.Random(seed)
    tried: Counter[str] = Counter()
    out: list[tuple[str, str]] = []
    signal.signal(signal.SIGALRM, _alarm)
    with tempfile.TemporaryDirectory() as folder:
        doors = [door for door in entrances(Path(folder)) if only in door.name]
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            for door in doors:
                share = time.monotonic() + min(1.0, seconds / len(doors))
                while time.monotonic() < share:
                    data = door.bad(dice.choice(door.samples), door.samples, dice)
                    tried[door.name] += 1
                    if said := try_one(door, data):
                        out.append((door.name, said))
                        FOUND.mkdir(exist_ok=True)
                        (FOUND / f"{door.name.replace(' ', '-')}-{len(out)}").write_bytes(data)
    return tried, out


def main() -> int:
    """Say what was tried and what got out."""
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 5.0
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else int(time.time())
    only = sys.argv[3] if len(sys.argv) > 3 else ""
    tried, out = rounds(minutes * 60, seed, only)
    for name, count in tried.items():
        print(f"{count:8}  {name}")
    told: set[str] = set()
    for name, said in out:
        kind = f"{name}: {said.strip().splitlines()[-1][:160]}"
        if kind not in told:
            told.add(kind)
            print(f"\n{name}\n{said[-1500:]}")
    print(f"{len(out)} got out, of {len(told)} kinds (seed {seed}); what did lies in {FOUND}")
    return 1 if out else 0


if __name__ == "__main__":
    sys.exit(main())

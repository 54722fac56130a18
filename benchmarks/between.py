"""Whole commands of this checkout against those of another: ``python -m benchmarks.between OTHER``.

The other is a folder with another state of the program that this environment can run.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory

COMMANDS = (
    "check infeed_rail",
    "modes infeed_rail",
    "modes pump_cover",
    "modes rinsing_bell",
    "modes cap_chute",
    "modes guard_hood",
    "modes pressed_cover",
    "sweep pump_cover --over thickness=3mm:8mm:33",
)
_KEPT = ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME")
RUNS = 2  # of each; the faster one counts


def taken(root: Path, line: str) -> float:
    """Seconds a command takes in a checkout, with nothing in store; infinite where it fails."""
    command, demo, *rest = line.split()
    with TemporaryDirectory() as folder:
        # Results are kept beside a sheet.
        for file in (root / "examples").glob(f"{demo}.*"):
            if file.suffix != ".sqlite":
                shutil.copy(file, folder)
        places = dict.fromkeys(_KEPT, folder)
        begun = time.perf_counter()
        ended = subprocess.run(
            [sys.executable, "-m", "belltone", command, f"{folder}/{demo}.toml", *rest],
            env={**os.environ, **places, "PYTHONPATH": str(root / "src")},
            capture_output=True,
        )
        seconds = time.perf_counter() - begun
    return seconds if ended.returncode == 0 else float("inf")


def main(other: Path) -> None:
    """Print a table."""
    here = Path(__file__).parent.parent
    print(f"{'command':<48}{'other':>9}{'this':>9}{'ratio':>8}")
    for line in COMMANDS:
        pairs = [(taken(other, line), taken(here, line)) for _ in range(RUNS)]
        theirs, ours = (min(column) for column in zip(*pairs, strict=True))
        print(f"{line:<48}{theirs:>7.2f} s{ours:>7.2f} s{theirs / ours:>8.1f}", flush=True)


if __name__ == "__main__":
    main(Path(sys.argv[1]).resolve())

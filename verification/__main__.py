"""Solves every reference case and writes ``docs/theory/verification.md``: ``make verification``."""

from __future__ import annotations

import sys
import time
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from belltone import __version__
from belltone.modes.solve import request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from verification.loaded import WALLS
from verification.members import MEMBERS
from verification.walls import REFERENCES, Reference

PAGE = Path(__file__).resolve().parents[1] / "docs" / "theory" / "verification.md"


@dataclass(frozen=True)
class Measured:
    """One case as solved: its largest difference, and the largest error told."""

    case: Reference
    difference: float
    mean: float
    told: float
    unknowns: int
    seconds: float

    @property
    def agrees(self) -> bool:
        """Whether every frequency is within the reference's tolerance."""
        return self.difference <= self.case.tolerance


def cases() -> dict[str, tuple[Reference, ...]]:
    """All cases, by what they are about."""
    loaded = tuple(Reference(w.name, w.text, w.frequencies, w.tolerance) for w in WALLS)
    return {"Members and frames": MEMBERS, "Plates and shells": REFERENCES, "Loaded walls": loaded}


def measured(case: Reference, bending: bool = False) -> Measured:
    """Solve a case and hold it against its reference; of plates only ``bending``, where asked."""
    design = evaluate(Sheet.from_text(case.text))
    started = time.perf_counter()
    modes = solve_modes(design, request_for(design))
    seconds = time.perf_counter() - started
    found, kinds = modes.flexible, modes.kinds[modes.rigid_count :]
    if bending:
        found = found[[not kind.startswith("in-plane") for kind in kinds]]
    elif case.only:
        found = found[[case.only in kind for kind in kinds]]
    expected = np.array(case.frequencies)
    away = np.abs(found[: len(expected)] / expected - 1)
    told = float(modes.errors.max())
    return Measured(case, float(away.max()), float(away.mean()), told, modes.unknowns, seconds)


def page(found: dict[str, list[Measured]]) -> str:
    """The table of all cases, in Markdown."""
    every = [each for group in found.values() for each in group]
    good = sum(each.agrees for each in every)
    lines = [
        "# Verification",
        "",
        f"Every reference case, solved by Bell Tone {__version__} as its sheet says, on one "
        "processor. References come from closed forms, exact dynamic stiffness, Navier, Fourier "
        "and Ritz series and collocation, each computed without finite elements and checked by a "
        "second method. The difference is that of the worst and of the mean frequency; beside it "
        "stands the largest error the program told of itself.",
        "",
        f"**{good} of {len(every)} cases agree within the tolerance of their reference.** "
        "Euler's beams cannot shear and ours do, which takes up to half a percent near buckling: "
        "their tolerance says so. This page is written by `make verification`.",
    ]
    for group, results in found.items():
        lines += ["", f"## {group}", ""]
        heads = ("case", "modes", "worst difference", "mean", "tolerance", "error told")
        lines.append(f"| {' | '.join(heads)} | unknowns | agrees |")
        lines.append("|---|---:|---:|---:|---:|---:|---:|---|")
        for each in results:
            shares = (each.difference, each.mean, each.case.tolerance, each.told)
            cells = [each.case.name, str(len(each.case.frequencies)), *map(_percent, shares)]
            cells += [str(each.unknowns), "yes" if each.agrees else "**no**"]
            lines.append(f"| {' | '.join(cells)} |")
    return "\n".join(lines) + "\n"


def _percent(share: float) -> str:
    return f"{100 * share:.2g} %" if share >= 1e-6 else "< 0.0001 %"


def main() -> int:
    """Solve all of them; how many do not agree."""
    found: dict[str, list[Measured]] = {}
    for group, members in cases().items():
        for case in members:
            one = measured(case, bending=group == "Loaded walls")
            found.setdefault(group, []).append(one)
            print(f"{case.name}: {_percent(one.difference)}, {one.seconds:.1f} s", flush=True)
    PAGE.parent.mkdir(parents=True, exist_ok=True)
    PAGE.write_text(page(found), encoding="utf-8")
    return sum(not each.agrees for group in found.values() for each in group)


if __name__ == "__main__":
    sys.exit(main())

"""Plates and shells: the eigensolver, the share of element work, what order pays, honesty."""

from __future__ import annotations

import resource
import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from scipy.sparse.linalg import eigsh
from verification.walls import REFERENCES, held, plate, rectangle, sheet

from belltone.mesh.discretisation import Discretisation
from belltone.modes.solve import request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.system.assembly import assemble
from belltone.system.division import mesh_bodies
from belltone.system.kinds import body_of
from belltone.system.lanczos import lowest_modes

COVER = sheet(plate(rectangle(1, 0.8), 0.02), held("clamped", "west"), 20)


DEMOS = ("pump_cover", "rinsing_bell", "cap_chute", "ribbed_cover", "paddle")
PLATE = """
belltone = 1
[modes]
count = 8
[parts.wall]
kind = "plate"
material = "structural steel"
thickness = "4 mm"
"""
SQUARE = 'outline = { shape = "rectangle", width = "600 mm", height = "400 mm" }\n'
PINNED = '[[supports]]\nsite = "wall.outline"\nhold = "pinned"\n'
SPOT = '[sites.spot]\npart = "wall"\nat = ["90 mm", "40 mm"]\n'
HARD = {
    "heavy mass at a point": f'{SQUARE}{PINNED}{SPOT}[[masses]]\nsite = "spot"\nmass = "4 kg"\n',
    "body with inertia at a point": (
        f'{SQUARE}{PINNED}{SPOT}[[masses]]\nsite = "spot"\nmass = "4 kg"\n'
        'inertia = ["0.02 kg*m^2", "0.02 kg*m^2", "0.03 kg*m^2"]\n'
    ),
    "clamped corner": f'{SQUARE}[[supports]]\nsite = "wall.south-west"\nhold = "clamped"\n',
    "body with inertia at a corner": (
        f'{SQUARE}[[supports]]\nsite = "wall.west"\nhold = "clamped"\n'
        '[[masses]]\nsite = "wall.north-east"\nmass = "0.5 kg"\ninertia = "0.002 kg*m^2"\n'
    ),
    "held at a point": f'{SQUARE}{PINNED}{SPOT}[[supports]]\nsite = "spot"\nhold = "pinned"\n',
    "re-entrant corner": (
        'outline = { shape = "polygon", points = [["0 m", "0 m"], ["0.6 m", "0 m"], '
        '["0.6 m", "0.3 m"], ["0.3 m", "0.3 m"], ["0.3 m", "0.6 m"], ["0 m", "0.6 m"]] }\n' + PINNED
    ),
    "square hole": (
        SQUARE + 'holes = [{ name = "port", shape = "rectangular", at = ["50 mm", "20 mm"], '
        'width = "200 mm", height = "120 mm" }]\n' + PINNED
    ),
    "blunt hinged corner": (
        'outline = { shape = "polygon", points = [["0 m", "0 m"], ["0.6 m", "0 m"], '
        '["1.12 m", "0.3 m"], ["0.52 m", "0.3 m"]] }\n' + PINNED
    ),
    "clamped tee": (
        'outline = { shape = "polygon", points = [["0 m", "0 m"], ["0.6 m", "0 m"], '
        '["0.6 m", "0.2 m"], ["0.4 m", "0.2 m"], ["0.4 m", "0.5 m"], ["0.2 m", "0.5 m"], '
        '["0.2 m", "0.2 m"], ["0 m", "0.2 m"]] }\n' + PINNED.replace("pinned", "clamped")
    ),
    "clamped along half an edge": (
        'outline = { shape = "polygon", points = [["0 m", "0 m"], ["0.3 m", "0 m"], '
        '["0.6 m", "0 m"], ["0.6 m", "0.4 m"], ["0 m", "0.4 m"]] }\n'
        + PINNED.replace("pinned", "clamped").replace("outline", "edge 1")
    ),
    "narrow ligament": (
        SQUARE + 'holes = [{ name = "a", shape = "round", at = ["-65 mm", "0 mm"], '
        'diameter = "120 mm" }, { name = "b", shape = "round", at = ["65 mm", "0 mm"], '
        'diameter = "120 mm" }]\n' + PINNED
    ),
    "small hole off centre": (
        'outline = { shape = "rounded rectangle", width = "600 mm", height = "250 mm", '
        'radius = "40 mm" }\nholes = [{ name = "a", shape = "round", '
        'at = ["-168 mm", "-62 mm"], diameter = "50 mm" }]\n' + PINNED
    ),
    "four clamped feet": SQUARE
    + "".join(
        f'[sites.{name}]\npart = "wall"\nat = ["{x} mm", "{y} mm"]\n'
        f'[[supports]]\nsite = "{name}"\nhold = "clamped"\n'
        for name, x, y in (("a", -270, -180), ("b", 270, -180), ("c", 270, 180), ("d", -270, 180))
    ),
    "tube in the middle": (
        SQUARE + PINNED + '[parts.tube]\nkind = "revolved"\nmaterial = "structural steel"\n'
        'thickness = "3 mm"\n'
        'profile = [ { at = ["80 mm", "0 mm"] }, { at = ["80 mm", "200 mm"] } ]\n'
        '[[joints]]\nbetween = ["tube.start", "wall"]\nhow = "welded"\n'
    ),
}
"""Where errors fall slowly, a ligament of a twelfth of the holes beside it, and uneven blocks."""
FLANGE = PLATE.replace('"plate"', '"revolved"').replace("4 mm", "1.5 mm") + (
    'profile = [ { at = ["120 mm", "0 mm"] }, { at = ["120 mm", "500 mm"] }, '
    '{ at = ["200 mm", "500 mm"] } ]\n' + PINNED.replace("outline", "start")
)


def seconds(call: Callable[[], object], runs: int = 3) -> float:
    """Shortest of some runs, after one that warms up."""
    call()
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        call()
        times.append(time.perf_counter() - start)
    return min(times)


def eigensolver(divisions: tuple[int, ...] = (4, 10)) -> None:
    """Against SciPy's shift-invert on the same matrices, 20 modes."""
    for count in divisions:
        system = assemble(evaluate(Sheet.from_text(COVER)), Discretisation(count, 4))
        parts = (system.stiffness, system.mass, system.rigid)
        ours = seconds(lambda: lowest_modes(*parts, 20))  # noqa: B023
        theirs = seconds(lambda: eigsh(parts[0], 20, parts[1], sigma=0.0), 1)  # noqa: B023
        print(
            f"SciPy eigsh / ours with proof of completeness, plate of {parts[0].shape[0]} "
            f"unknowns: {theirs / ours:.2f}"
        )


def element_share() -> None:
    """Element work against the whole of one solution, at some 50 000 unknowns."""
    design = evaluate(Sheet.from_text(COVER))
    level = Discretisation(10, 4)
    elements = body_of(*next(mesh_bodies(design, level))).elements
    alone = seconds(elements.matrices)

    def whole() -> None:
        system = assemble(design, level)
        lowest_modes(system.stiffness, system.mass, system.rigid, 20)

    print(f"element work / assembly and 20 modes: {alone / seconds(whole):.2f}")


def large() -> None:
    """Twenty modes at 200 000 unknowns, and the memory that takes."""
    design = evaluate(Sheet.from_text(COVER))
    system = assemble(design, Discretisation(21, 4))
    lowest_modes(system.stiffness, system.mass, system.rigid, 20)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
    print(f"peak memory with 20 modes of {system.unknowns} unknowns: {peak:.1f} GB")


def order_pays() -> None:
    """High order against order one, both to 0.1 % on ten frequencies."""
    for name in ("cantilever square plate", "clamped cylinder"):
        case = next(case for case in REFERENCES if case.name == name)
        design = evaluate(Sheet.from_text(case.text))

        def solved(level: Discretisation) -> np.ndarray:  # type: ignore[type-arg]
            system = assemble(design, level)  # noqa: B023
            values = lowest_modes(system.stiffness, system.mass, system.rigid, 10).values
            return np.sqrt(values[:10]) / (2 * np.pi)

        exact = solved(Discretisation(3, 7))
        high = next(
            level
            for level in (Discretisation(d, p) for d in (1, 2, 3) for p in (4, 5, 6, 7))
            if np.abs(solved(level) / exact - 1).max() < 1e-3
        )
        divisions = 16
        while np.abs(solved(Discretisation(divisions, 1)) / exact - 1).max() > 1e-3:
            if divisions >= 100:
                break  # beyond what memory holds; the ratio is then a lower bound
            divisions = round(1.5 * divisions)
        low = Discretisation(divisions, 1)
        left = np.abs(solved(low) / exact - 1).max()
        ratio = seconds(lambda: solved(low), 1) / seconds(lambda: solved(high))  # noqa: B023
        print(
            f"{name}: order one ({divisions} divisions, {100 * left:.2g} %) / order {high.order} "
            f"({high.divisions} divisions, 0.1 %): {ratio:.1f}"
        )


def honesty() -> None:
    """True error over estimate on references, demos and hard cases, against far finer solutions."""
    print("\nWalls: true error / estimate, 0.5 % asked for")
    print(f"{'case':<42}{'largest estimate':>18}{'smallest':>10}{'median':>10}{'largest':>10}")
    good = below = total = 0
    cases = [(case.name, Sheet.from_text(case.text)) for case in REFERENCES]
    cases += [(name, read_sheet(demo_sheet(name))) for name in DEMOS]
    cases += [(name, Sheet.from_text(PLATE + text)) for name, text in HARD.items()]
    cases.append(("flange on a thin tube", Sheet.from_text(FLANGE)))
    for name, described in cases:
        design = evaluate(described)
        request = replace(request_for(design), accuracy=5e-3)
        found = solve_modes(design, request)
        level = found.discretisation
        fine = solve_modes(design, request, replace(level.finer(), order=min(level.order + 2, 7)))
        count = min(len(found.flexible), len(fine.flexible))
        true = np.abs(found.flexible[:count] / fine.flexible[:count] - 1)
        stated = found.errors[found.rigid_count :][:count]
        share = true / stated
        below += int(np.count_nonzero(share <= 1))
        good += int(np.count_nonzero((share <= 1) & (share >= 0.1)))
        total += count
        print(
            f"{name:<42}{100 * stated.max():>16.2g} %{share.min():>10.2g}"
            f"{np.median(share):>10.2g}{share.max():>10.2g}"
        )
    print(f"below the estimate: {below} of {total}; and above a tenth of it: {good} of {total}")


def main() -> None:
    """All of them."""
    eigensolver()
    element_share()
    order_pays()
    large()
    honesty()

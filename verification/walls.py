"""Reference plates and shells with published or independently computed frequencies (Hz).

Each was computed without finite elements: Navier and Fourier series, Ritz series of high order, or
series per harmonic; rigid modes are left out. Tolerances are those of the reference.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import SurfaceValue
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet

STEEL = """
[materials.steel]
density = "{density} kg/m^3"
youngs_modulus = "200 GPa"
poisson_ratio = 0.3
"""
PLIES = """
[materials.ply]
density = "1600 kg/m^3"
modulus_along = "{along} GPa"
modulus_across = "{across} GPa"
poisson_ratio = {ratio}
shear_in_plane = "{shear} GPa"
shear_along = "{shear} GPa"
shear_across = "3.5 GPa"
"""
Array = NDArray[np.float64]

HEAD = """belltone = 1
{material}
[parts.wall]
{part}
{supports}
[modes]
count = {count}
free = true
"""
EDGES = ("west", "east", "south", "north")


@dataclass(frozen=True)
class Reference:
    """A sheet's text, the frequencies it must give, and how near.

    The reference lists ``only`` modes whose kind has that word in it, unless it is empty.
    """

    name: str
    text: str
    frequencies: tuple[float, ...]
    tolerance: float
    only: str = ""


def held(hold: object, *sites: str) -> str:
    """Supports that hold sites of the wall in their own axes."""
    words = f'"{hold}"' if isinstance(hold, str) else str(list(hold)).replace("'", '"')  # type: ignore[call-overload]
    own = "" if isinstance(hold, str) else 'axes = "own"\n'
    return "".join(f'[[supports]]\nsite = "wall.{site}"\nhold = {words}\n{own}' for site in sites)


def sheet(
    part: str, supports: str, count: int, density: float = 8000, material: str | None = None
) -> str:
    """The text of a sheet with one wall."""
    text = STEEL.format(density=density) if material is None else material
    return HEAD.format(material=text, part=part, supports=supports, count=count)


def plate(outline: str, thickness: float, extra: str = "") -> str:
    """A steel plate."""
    return (
        f'kind = "plate"\nmaterial = "steel"\nthickness = "{thickness} m"\n'
        f"outline = {{ {outline} }}\n{extra}"
    )


def rectangle(width: float, height: float) -> str:
    """Its outline."""
    return f'shape = "rectangle", width = "{width} m", height = "{height} m"'


def shell(kind: str, profile: str, thickness: float, extra: str = "") -> str:
    """A steel shell."""
    return (
        f'kind = "{kind}"\nmaterial = "steel"\nthickness = "{thickness} m"\n'
        f"profile = [{profile}]\n{extra}"
    )


def laminate(width: float, height: float, thickness: float, angles: tuple[int, ...]) -> str:
    """A plate of equal plies."""
    each = thickness / len(angles)
    plies = ", ".join(
        f'{{ material = "ply", thickness = "{each} m", angle = "{angle} deg" }}' for angle in angles
    )
    return f'kind = "plate"\noutline = {{ {rectangle(width, height)} }}\nplies = [{plies}]\n'


SIMPLY = ("x", "y", "z", "turn y")
DIAPHRAGM = ("x", "z", "turn y")
STIFF_PLY = PLIES.format(along=280, across=7, ratio=0.25, shear=4.2)
CARBON_PLY = PLIES.format(along=130, across=10, ratio=0.3, shear=5)
RHOMBUS = 'shape = "parallelogram", width = "10 m", side = "10 m", angle = "45 deg"'

REFERENCES = (
    Reference(
        "simply supported plate",
        sheet(plate(rectangle(1, 0.8), 0.02), held(SIMPLY, *EDGES), 10),
        (121.58, 263.347, 342.822, 483.64, 498.273, 708.287, 717.009, 824.389, 847.561, 1040.99),
        0.005,
    ),
    Reference(
        "cantilever square plate",
        sheet(plate(rectangle(10, 10), 0.05), held("clamped", "west"), 8),
        (0.417912, 1.02371, 2.56227, 3.27374, 3.7249, 6.51906, 7.37255, 7.71913),
        0.005,
    ),
    Reference(
        "free square plate",
        sheet(plate(rectangle(10, 10), 0.05), "", 10),
        (1.62057, 2.35927, 2.92193, 4.18747, 4.18747, 7.35376, 7.35376, 7.66129, 8.33318, 9.28589),
        0.005,
    ),
    Reference(
        "clamped rhombus, thin",
        sheet(plate(RHOMBUS, 0.05), held("clamped", *EDGES), 10),
        (7.89951, 12.8122, 17.8384, 18.9113, 23.6604, 27.59, 29.8592, 34.6197, 35.3411, 37.0273),
        0.005,
    ),
    Reference(
        "clamped rhombus, thick",
        # The reference lists bending alone, so motion in the plate's plane is held all over.
        sheet(
            plate(RHOMBUS, 1.0),
            held("clamped", *EDGES)
            + '[[supports]]\nsite = "wall.face"\nhold = ["x", "y"]\naxes = "sheet"\n',
            10,
        ),
        (133.403, 201.912, 266.919, 280.796, 336.118, 378.328, 404.941, 454.345, 459.366, 478.458),
        0.005,
    ),
    Reference(
        "clamped disc",
        sheet(plate('shape = "disc", diameter = "2 m"', 0.1), held("clamped", "rim"), 10),
        (239.461, 486.151, 486.151, 776.172, 776.172, 879.232, 1103.46, 1103.46, 1298.25, 1298.25),
        0.005,
    ),
    Reference(
        "simply supported plate with a round hole",
        sheet(
            plate(
                rectangle(1, 1),
                0.01,
                'holes = [{ name = "port", shape = "round", at = ["0 m", "0 m"], '
                'diameter = "0.4 m" }]\n',
            ),
            held(SIMPLY, *EDGES),
            9,
        ),
        (49.1919, 105.042, 105.042, 175.87, 215.559, 294.581, 294.581, 313.093, 400.727),
        0.01,
    ),
    Reference(
        "simply supported plate with a mass",
        sheet(
            plate(rectangle(1, 1), 0.01),
            held(SIMPLY, *EDGES)
            + '[sites.middle]\npart = "wall"\nat = ["0 m", "0 m"]\n'
            + '[[masses]]\nsite = "middle"\nmass = "40 kg"\n',
            8,
        ),
        (26.6569, 118.836, 118.836, 143.394, 190.138, 237.672, 308.974, 308.974),
        0.005,
    ),
    Reference(
        "simply supported laminate 0/90/90/0",
        sheet(laminate(1, 1, 0.1, (0, 90, 90, 0)), held(DIAPHRAGM, *EDGES), 8, material=STIFF_PLY),
        (504.09, 810.093, 810.093, 904.2, 1226.66, 1445.3, 1552.08, 1620.19),
        0.005,
    ),
    Reference(
        "simply supported laminate 45/-45",
        sheet(
            laminate(1, 1, 0.1, (45, -45)),
            held(("y", "z", "turn y"), *EDGES),
            8,
            material=STIFF_PLY,
        ),
        (434.227, 896.764, 896.764, 1145.64, 1376.23, 1482.39, 1482.39, 1921.0),
        0.005,
    ),
    Reference(
        "simply supported laminate 30/-30/30/-30",
        sheet(
            laminate(1, 1.5, 0.02, (30, -30, 30, -30)),
            held(("y", "z", "turn y"), *EDGES),
            8,
            material=STIFF_PLY,
        ),
        (114.236, 184.151, 276.668, 357.929, 390.886, 444.808, 527.486, 565.008),
        0.005,
    ),
    Reference(
        "cantilever laminate 30/-30/-30/30",
        sheet(
            laminate(0.3, 0.1, 0.002, (30, -30, -30, 30)),
            held("clamped", "west"),
            8,
            material=CARBON_PLY,
        ),
        (19.8191, 113.066, 140.872, 323.393, 427.429, 612.457, 702.0, 830.01),
        0.01,
    ),
    Reference(
        "thick cylinder on diaphragms",
        sheet(
            shell("revolved", '{ at = ["1 m", "0 m"] }, { at = ["1 m", "2 m"] }', 0.1),
            held(DIAPHRAGM, "start", "end"),
            10,
            7850,
        ),
        (284.703, 284.703, 299.005, 299.005, 409.639, 409.639, 485.273, 485.273, 498.418, 498.418),
        0.01,
    ),
    Reference(
        "clamped cylinder",
        sheet(
            shell("revolved", '{ at = ["0.5 m", "0 m"] }, { at = ["0.5 m", "1 m"] }', 0.005),
            held("clamped", "start"),
            10,
            7850,
        ),
        (107.475, 107.475, 128.153, 128.153, 133.834, 133.834, 174.143, 174.143, 232.298, 232.298),
        0.01,
    ),
    Reference(
        "clamped cone",
        sheet(
            shell("revolved", '{ at = ["0.3 m", "0 m"] }, { at = ["0.6 m", "0.8 m"] }', 0.005),
            held("clamped", "start"),
            10,
            7850,
        ),
        (85.8741, 85.8741, 96.9692, 96.9692, 109.31, 109.31, 148.522, 148.522, 163.053, 163.053),
        0.01,
    ),
    Reference(
        "cylindrical panel on diaphragms",
        sheet(
            shell(
                "extruded",
                '{ at = ["2 m", "0 m"] }, { at = ["1.7320508075688772 m", "1 m"], '
                'through = ["1.9318516525781366 m", "0.5176380902050415 m"] }',
                0.01,
                'length = "1 m"\n',
            ),
            held(DIAPHRAGM, "start", "end", "first side", "last side"),
            9,
            7850,
        ),
        (139.945, 212.915, 223.796, 277.686, 319.398, 346.744, 372.916, 415.471, 434.627),
        0.01,
    ),
    Reference(
        "pretwisted cantilever plate",
        sheet(
            shell(
                "lofted",
                '{ at = ["-0.1 m", "0 m"] }, { at = ["0.1 m", "0 m"] }',
                0.01,
                'span = "0.6 m"\ntwist = "30 deg"\n',
            ),
            held("clamped", "start"),
            8,
            7850,
        ),
        (23.0718, 128.101, 169.038, 376.093, 483.465, 511.506, 781.895, 876.671),
        0.01,
    ),
)


def wall(part: str) -> SurfaceValue:
    """The one wall of a sheet made from a part."""
    found = evaluate(Sheet.from_text(sheet(part, "", 4))).parts[0]
    assert isinstance(found, SurfaceValue)
    return found

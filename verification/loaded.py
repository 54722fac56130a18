"""Loaded members, plates and shells: helpers to state them, and the loaded walls."""

from __future__ import annotations

import math
from dataclasses import dataclass

PLANE = ["y", "turn x", "turn z"]
CLAMPED = ["x", "y", "z", "turn x", "turn y", "turn z"]
PINNED = ["x", "y", "z", "turn x", "turn z"]


def held(site: str, hold: list[str] | str) -> str:
    """A support that holds a site by a word or in directions."""
    words = f'"{hold}"' if isinstance(hold, str) else str(hold).replace("'", '"')
    return f'[[supports]]\nsite = "{site}"\nhold = {words}\n'


def material(density: float) -> str:
    """The head of a sheet of steel of a density (kg/m³)."""
    return f"""belltone = 1
[materials.steel]
density = "{density} kg/m^3"
youngs_modulus = "200 GPa"
poisson_ratio = 0.3
expansion = "12 um/m/K"
"""


def beam(
    width: str, height: str, supports: str, preload: str, count: int = 5, path: str = ""
) -> str:
    """A member along x, a metre long, that bends in the x-z plane unless its supports let it."""
    return f"""{material(7850)}
[parts.b]
kind = "member"
{path or 'length = "1 m"'}
material = "steel"
section = {{ shape = "solid rectangle", width = "{width}", height = "{height}" }}
{supports}
[modes]
count = {count}
[accuracy]
target = "0.02 %"
{preload}
"""


def force(site: str, x: float = 0.0, y: float = 0.0, z: float = 0.0) -> str:
    """A force on a site (N)."""
    return f'[[preload.forces]]\nsite = "{site}"\nforce = ["{x!r} N", "{y!r} N", "{z!r} N"]\n'


SMALL = '[preload]\ndeflection = "small"\n'
LARGE = '[preload]\ndeflection = "large"\n'
HEAT = '[[preload.warmths]]\nchange = "{} K"\n'
SLIDING = held("b.start", CLAMPED) + held("b.end", CLAMPED[1:]) + held("b.axis", PLANE)
BOTH = held("b.start", CLAMPED) + held("b.end", CLAMPED)
IN_PLANE = held("b.axis", PLANE)


@dataclass(frozen=True)
class Wall:
    """A loaded wall: its part, supports and preload, and the frequencies it must have."""

    name: str
    density: float
    part: str
    rest: str
    frequencies: tuple[float, ...]
    tolerance: float
    fixed: tuple[int, int] = (1, 5)

    @property
    def text(self) -> str:
        """Its sheet."""
        divisions, order = self.fixed
        return (
            f'{material(self.density)}[parts.wall]\n{self.part}\nmaterial = "steel"\n'
            f"[modes]\ncount = {len(self.frequencies) + 2}\n"
            f"[accuracy]\ndivisions = {divisions}\norder = {order}\n{self.rest}"
        )


SIMPLE = "".join(
    held(f"wall.{edge}", "simply supported") for edge in ("west", "east", "south", "north")
)
PLATE = """kind = "plate"
outline = {{ shape = "rectangle", width = "{}", height = "{}" }}
thickness = "{}"
"""
CYLINDER = """kind = "revolved"
profile = [{ at = ["500 mm", "0 m"] }, { at = ["500 mm", "1 m"] }]
thickness = "5 mm"
"""
LINE_LOAD = 627645.7825 * 0.8  # N on the whole edge
BANDS = {
    -0.5: (31.4679, 58.3541, 120.017, 128.776, 161.429, 210.825, 220.967, 279.064),
    -0.95: (14.9687, 18.4532, 86.6514, 125.766, 151.64, 179.412, 204.77, 277.688),
    1.0: (59.5326, 116.708, 138.337, 190.46, 193.362, 267.977, 283.603, 292.078),
}
WALLS = [
    *(
        Wall(
            f"plate with {share:+g} of its buckling load",
            8000,
            PLATE.format("1.2 m", "0.8 m", "8 mm"),
            SIMPLE
            + held("wall.west", ["x"])
            + held("wall.south-west", ["y"])
            + SMALL
            + force("wall.east", share * LINE_LOAD),
            expected,
            # Kirchhoff's values: a plate that can shear buckles 0.1 % earlier, which counts
            # tenfold in the lowest frequency at 95 %.
            0.005 if share > -0.9 else 0.012,
        )
        for share, expected in BANDS.items()
    ),
    Wall(
        "heated clamped plate",
        8000,
        PLATE.format("1 m", "0.7 m", "6 mm"),
        "".join(held(f"wall.{edge}", "clamped") for edge in ("west", "east", "south", "north"))
        + SMALL
        + HEAT.format(8),
        (58.5331, 104.365, 171.764, 184.854, 215.716, 291.519),
        0.005,
    ),
    Wall(
        "spinning disc",
        8000,
        'kind = "plate"\noutline = { shape = "ring", diameter = "400 mm", bore = "100 mm" }\n'
        'thickness = "1 mm"',
        held("wall.bore", "clamped") + '[preload]\nspin = { speed = "600 rad/s", axis = "z" }\n',
        (101.79, 115.443, 115.443, 150.895, 150.895, 200.783, 200.783),
        0.005,
        (1, 6),
    ),
    Wall(
        "blade that turns in its plane",
        7850,
        PLATE.format("300 mm", "150 mm", "3 mm")
        + '\nplacement = { at = ["150 mm", "75 mm", "0 mm"] }',
        held("wall.west", "clamped")
        + "[preload]\n"
        + 'spin = { speed = "300 rad/s", axis = "z", through = ["-100 mm", "75 mm", "0 mm"] }\n',
        (67.8091, 142.042, 226.546, 419.675, 542.921, 760.983),
        0.01,
    ),
    Wall(
        "cylinder under pressure",
        7850,
        CYLINDER,
        held("wall.start", "clamped")
        + SMALL
        + '[[preload.pressures]]\nsite = "wall.face"\npressure = "5 bar"\non = "inner"\n'
        + "follows = false\n",
        (141.811, 141.811, 148.583, 148.583, 175.301, 175.301, 227.373, 227.373),
        0.002,
        (2, 5),
    ),
    Wall(
        "cylinder pulled along its axis",
        7850,
        CYLINDER,
        held("wall.start", "clamped") + SMALL + force("wall.end", z=4e5 * math.pi),
        (112.144, 112.144, 132.215, 132.215, 137.319, 137.319, 177.141, 177.141),
        0.002,
        (2, 5),
    ),
]

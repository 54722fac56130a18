"""Members and frames; references by dynamic stiffness, transfer matrices and series."""

from __future__ import annotations

import math
from typing import Final

import numpy as np

from verification.loaded import (
    BOTH,
    CLAMPED,
    HEAT,
    IN_PLANE,
    LARGE,
    PINNED,
    PLANE,
    SLIDING,
    SMALL,
    beam,
    force,
    held,
    material,
)
from verification.walls import Reference

__all__ = ["ARCH_LIMIT", "MEMBERS", "arch"]

_EULER: Final = 26318.945070  # N, of a clamped beam 40 x 10 mm, a metre long
ARCH_LIMIT: Final = 561.542  # N/m, at which the arch snaps through
_ENDS: Final = ("b.start", "b.end")
_FIRST: Final = held("b.start", CLAMPED)


def _bar(section: str, length: str, supports: str, count: int, free: bool = False) -> str:
    """A straight member of steel."""
    return (
        f'{material(7850)}[parts.b]\nkind = "member"\nlength = "{length}"\nmaterial = "steel"\n'
        f"section = {{ {section} }}\n{supports}[modes]\ncount = {count}\n"
        f'free = {str(free).lower()}\n[accuracy]\ntarget = "0.01 %"\n'
    )


def _rectangle(width: float, height: float) -> str:
    return f'shape = "solid rectangle", width = "{width} mm", height = "{height} mm"'


def _spin(speed: float, axis: str, rest: str = "") -> str:
    return f'[preload]\nspin = {{ speed = "{speed} rad/s", axis = "{axis}"{rest} }}\n'


def arch(load: float) -> str:
    """A shallow parabolic arch under an even load (N for each metre of its line)."""
    x = np.linspace(0, 1, 9)
    rise, slope = 4 * 0.011 * x * (1 - x), 4 * 0.011 * (1 - 2 * x)
    line = float(np.trapezoid(np.sqrt(1 + slope**2), x))
    points = "".join(
        f'{{ at = ["{x[k]:.12g} m", "0 m", "{rise[k]:.12g} m"]'
        + (f', through = ["{x[k - 1]:.12g} m", "0 m", "{rise[k - 1]:.12g} m"] }},' if k else " },")
        for k in range(0, 9, 2)
    )
    supports = held("b.start", PINNED) + held("b.end", PINNED) + IN_PLANE
    pushed = LARGE + force("b.axis", z=-load * line)
    return beam("20 mm", "10 mm", supports, pushed, path=f"path = [{points}]")


def _table() -> str:
    """A frame of four legs and four bars, free in space."""
    corners = [(0, 0), (1000, 0), (1000, 600), (0, 600)]
    nodes = {f"foot{k}": (*place, 0) for k, place in enumerate(corners)}
    nodes |= {f"top{k}": (*place, 700) for k, place in enumerate(corners)}
    members = {f"leg{k}": (f"foot{k}", f"top{k}") for k in range(4)}
    members |= {f"bar{k}": (f"top{k}", f"top{(k + 1) % 4}") for k in range(4)}
    stated = "".join(_node(name, at) for name, at in nodes.items())
    joined = "".join(f'{n} = {{ from = "{a}", to = "{b}" }}\n' for n, (a, b) in members.items())
    return (
        f'{material(7850)}[parts.f]\nkind = "frame"\nmaterial = "steel"\n'
        'section = { shape = "solid round", diameter = "30 mm", shear_factor = 0.9 }\n'
        f"[parts.f.nodes]\n{stated}[parts.f.members]\n{joined}[modes]\ncount = 10\nfree = true\n"
        '[accuracy]\ntarget = "0.01 %"\n'
    )


def _l_frame() -> str:
    """A post and an arm, clamped below, held in their plane."""
    nodes = {"a": (0, 0, 0), "b": (0, 0, 1000), "c": (800, 0, 1000)}
    stated = "".join(_node(name, at) for name, at in nodes.items())
    plane = held("f.post.axis", PLANE) + held("f.arm.axis", PLANE)
    return (
        f'{material(7850)}[parts.f]\nkind = "frame"\nmaterial = "steel"\n'
        f"section = {{ {_rectangle(50, 50)} }}\n[parts.f.nodes]\n{stated}[parts.f.members]\n"
        'post = { from = "a", to = "b" }\narm = { from = "b", to = "c" }\n'
        f'{held("f.a", CLAMPED)}{plane}[modes]\ncount = 6\n[accuracy]\ntarget = "0.01 %"\n'
    )


def _body(mass: float, at: tuple[float, float], inertia: tuple[float, float, float]) -> str:
    """A rigid body at the end of a bar: kg, metres along and across, kg m² about its own middle."""
    own = ", ".join(f'"{each} kg*m^2"' for each in inertia)
    return (
        f'[[masses]]\nsite = "b.end"\nmass = "{mass} kg"\ninertia = [{own}]\n'
        f'offset = ["{at[0]} m", "{at[1]} m", "0 m"]\n'
    )


def _spring(site: str, stiffness: float) -> str:
    return f'[[supports]]\nsite = "{site}"\nsprings = {{ z = "{stiffness} N/m" }}\n'


def _slender(roots: tuple[float, ...]) -> tuple[float, ...]:
    """Frequencies (Hz) of Euler's beam 2 m long and 5 mm high by its wave numbers times length."""
    unit = math.sqrt(200e9 * 0.005**2 / 12 / 7850) / (2 * math.pi * 4)
    return tuple(unit * root**2 for root in roots)


def _node(name: str, at: tuple[float, ...]) -> str:
    return f"{name} = [" + ", ".join(f'"{each} mm"' for each in at) + "]\n"


_PINNED_BOTH: Final = held("b.start", PINNED) + held("b.end", PINNED) + IN_PLANE
_CLAMPED_BOTH: Final = BOTH + IN_PLANE

MEMBERS: Final = (
    Reference(
        "stubby cantilever, bending, twist and stretch",
        _bar(_rectangle(50, 30), "0.3 m", _FIRST, 10),
        (269.655, 443.329, 1616.14, 2123.51, 2484.05, 4206.29, 4250.69, 6098.51, 6370.53, 7710.61),
        0.002,
    ),
    Reference(
        "free tube that shears",
        _bar(
            'shape = "round tube", diameter = "100 mm", wall = "5 mm", shear_factor = 0.53',
            "1 m",
            "",
            10,
            free=True,
        ),
        (570.967, 570.967, 1427.65, 1427.65, 1565.18, 2499.03, 2499.03, 2523.77, 3130.35, 3669.77),
        0.002,
    ),
    Reference(
        "cantilever strip, 6 mm",
        _bar(_rectangle(50, 6), "0.5 m", _FIRST, 8),
        (19.5669, 122.54, 161.793, 342.735, 358.586, 670.543, 969.683, 1075.76),
        0.002,
    ),
    Reference(
        "cantilever strip, 8 mm",
        _bar(_rectangle(50, 8), "0.5 m", _FIRST, 8),
        (26.0869, 161.793, 163.284, 456.306, 468.968, 891.634, 969.683, 1406.9),
        0.002,
    ),
    Reference(
        "table frame free in space",
        _table(),
        (17.8427, 21.1765, 25.9254, 28.0617, 29.0572, 35.978, 40.9645, 49.814, 51.2338, 62.6269),
        0.002,
    ),
    *(
        Reference(
            f"clamped beam with {share:+g} of its buckling load (Euler's values)",
            beam("40 mm", "10 mm", SLIDING, SMALL + force("b.end", share * _EULER), count=4),
            expected,
            0.006,
        )
        for share, expected in (
            (-0.9, (16.6771, 107.613, 244.324, 426.634)),
            (1.0, (72.467, 173.656, 315.554, 501.221)),
            (5.0, (122.231, 260.661, 427.304, 629.458)),
        )
    ),
    *(
        Reference(
            f"beam between held ends, {change:+g} K",
            beam("30 mm", "20 mm", BOTH, SMALL + HEAT.format(change), count=6),
            expected,
            0.002,
        )
        for change, expected in (
            (50, (76.7845, 138.432, 250.909, 401.546, 519.073, 797.209)),
            (-100, (141.536, 182.531, 340.616, 462.718, 619.16, 865.176)),
        )
    ),
    *(
        Reference(
            f"rotating cantilever, hub radius {hub:g} of its length",
            beam(
                "20 mm",
                "10 mm",
                _FIRST,
                _spin(speed, "z", f', through = ["{-hub} m", "0 m", "0 m"]'),
                count=6,
            ),
            expected,
            0.005,
        )
        for speed, hub, expected in (
            (72.855032, 0.0, (14.9568, 17.0585, 59.0107, 105.741, 151.214)),
            (145.710063, 1.0, (34.3751, 38.5109, 102.892, 134.152, 206.758)),
        )
    ),
    Reference(
        "pinned beam under large deflection",
        beam("20 mm", "10 mm", _PINNED_BOTH, LARGE + force("b.axis", z=-2000)),
        (91.8433, 137.556, 257.212, 418.947, 624.795),
        0.005,
    ),
    Reference(
        "clamped beam under large deflection",
        beam("20 mm", "10 mm", _CLAMPED_BOTH, LARGE + force("b.axis", z=-5000)),
        (122.069, 190.801, 338.318, 522.427, 754.106),
        0.005,
    ),
    Reference(
        "cantilever bent far down by its tip",
        beam("20 mm", "5 mm", _FIRST + IN_PLANE, LARGE + force("b.end", z=-83.333333)),
        (4.95394, 24.8093, 68.1391, 136.57, 227.287),
        0.005,
    ),
    Reference(
        "beam heated to 1.5 times buckling",
        beam(
            "20 mm",
            "10 mm",
            _CLAMPED_BOTH,
            LARGE + HEAT.format(41.123352) + force("b.axis", z=-0.05),
        ),
        (51.6123, 102.879, 245.439, 422.34, 651.36),
        0.01,
    ),
    *(
        Reference(f"shallow arch at {share:g} of its limit load", arch(share * ARCH_LIMIT), f, t)
        for share, f, t in (
            (0.3, (60.5219, 84.8813, 200.36, 358.615, 563.241), 0.01),
            (0.9, (34.928, 62.7885, 181.237, 339.979, 544.927), 0.02),
        )
    ),
    Reference(
        "ring of round wire, free (Love's closed form, thin)",
        f"""{material(7850)}[parts.r]
kind = "member"
material = "steel"
closed = true
path = [
  {{ at = ["500 mm", "0 mm", "0 mm"], through = ["0 mm", "-500 mm", "0 mm"] }},
  {{ at = ["-500 mm", "0 mm", "0 mm"], through = ["0 mm", "500 mm", "0 mm"] }},
]
section = {{ shape = "solid round", diameter = "10 mm" }}
[modes]
count = 8
free = true
""",
        tuple(
            sorted(
                math.sqrt(200e9 * 0.01**2 / 16 / 7850)
                / (2 * math.pi * 0.5**2)
                * n
                * (n * n - 1)
                / math.sqrt(n * n + 1 + poisson)
                for n in (2, 3)
                for poisson in (0.0, 0.3)
                for _ in range(2)
            )
        ),
        0.002,
    ),
    Reference(
        "L-frame in its plane",
        _l_frame(),
        (16.5044, 48.114, 217.834, 340.227, 639.167, 903.778),
        0.002,
    ),
    Reference(
        "pretwisted cantilever, 30 degrees (bending)",
        _bar(_rectangle(50, 10), "1 m", _FIRST, 8).replace(
            "section =", 'twist = "30 deg"\nsection =', 1
        ),
        (8.17807, 35.7714, 58.2168, 137.392, 259.367, 279.108),
        0.005,
        only="bending",
    ),
    *(
        Reference(
            f"body off the axis of a cantilever, {inertia:g} kg m² about it (Euler's values)",
            _bar(
                'shape = "solid round", diameter = "20 mm"',
                "0.6 m",
                _FIRST + _body(1, (0, 0.01), (inertia, 0.001, 0.001)),
                3,
            ),
            expected,
            0.001,
        )
        for inertia, expected in (
            (0.1, (20.1481, 20.1727, 22.6124)),
            (0.12, (20.0652, 20.1727, 20.7283)),
        )
    ),
    Reference(
        "cantilever with a body beyond its tip (Euler's values)",
        _bar(_rectangle(30, 20), "0.8 m", _FIRST + IN_PLANE + _body(2, (0.06, 0), (0.01,) * 3), 3),
        (13.2116, 98.9637, 278.813),
        0.006,
    ),
    Reference(
        "free beam on two springs (Euler's values)",
        _bar(
            _rectangle(40, 20),
            "1.2 m",
            held("b.axis", ["x", *PLANE]) + _spring("b.start", 1e5) + _spring("b.end", 2e5),
            5,
        ),
        (22.204, 50.4955, 98.1358, 209.212, 394.718),
        0.01,
    ),
    Reference(
        "beam over two spans (Euler's values)",
        _bar(
            _rectangle(40, 20),
            "2 m",
            held("b.start", ["x", "z"])
            + '[sites.mid]\npart = "b"\nalong = "1.2 m"\n'
            + held("mid", ["z"])
            + held("b.end", ["z"])
            + IN_PLANE,
            4,
        ),
        (38.7728, 89.1387, 148.398, 286.101),
        0.005,
    ),
    Reference(
        "shaft that spins, seen from the ground (Rayleigh's closed form)",
        _bar(
            'shape = "solid round", diameter = "50 mm"',
            "1 m",
            held("b.start", ["x", "y", "z", "turn x"]) + held("b.end", ["y", "z"]),
            4,
        )
        + _spin(1000, "x", ', gyroscopic = true, seen_from = "ground"'),
        (98.7872, 99.2773, 394.242, 396.193),
        0.01,
    ),
    *(
        Reference(
            f"slender beam, {' and '.join(words for words, _ in ends)} (Euler's values)",
            _bar(
                _rectangle(20, 5),
                "2 m",
                "".join(held(site, hold) for site, (_, hold) in zip(_ENDS, ends, strict=True))
                + IN_PLANE,
                len(roots),
            ),
            _slender(roots),
            0.0005,
        )
        for ends, roots in (
            ((("clamped", CLAMPED), ("clamped", CLAMPED)), (4.730041, 7.853205, 10.995608)),
            ((("clamped", CLAMPED), ("pinned", PINNED)), (3.926602, 7.068583)),
            (
                (("pinned", PINNED), ("pinned", PINNED)),
                tuple(n * math.pi for n in (1, 2, 3)),
            ),
        )
    ),
)

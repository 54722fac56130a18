"""What modes are called: shapes that everybody knows, of parts and of assemblies."""

from __future__ import annotations

import pytest

from belltone.mesh.discretisation import Discretisation
from belltone.modes.solve import ModeRequest
from tests.assemblies import design_of, frame, held, joint, member, modes_at, plate

BAR = 'shape = "solid rectangle", width = "30 mm", height = "20 mm"'
LINE = (0, 0, 0), (800, 0, 0)
BEAM = member("b", *LINE, BAR)
PINNED = held("b.start", '["x", "y", "z", "turn x"]') + held("b.end", '["y", "z"]')


def path(points: str, closed: bool = False, size: str = "14 mm") -> str:
    """A member along a path, of a bar 10 mm wide."""
    return f"""
[parts.b]
kind = "member"
material = "steel"
path = [{points}]
closed = {str(closed).lower()}
section = {{ shape = "solid rectangle", width = "10 mm", height = "{size}" }}
"""


def wall(kind: str, rest: str) -> str:
    """A wall “w”."""
    return f'[parts.w]\nkind = "{kind}"\nmaterial = "steel"\nthickness = "3 mm"\n{rest}\n'


def shell(kind: str, profile: str, rest: str = "") -> str:
    return wall(kind, f"profile = [{profile}]\n{rest}")


def flat(outline: str) -> str:
    return wall("plate", f"outline = {{ {outline} }}")


ARCH = path(
    '{ at = ["-400 mm", "0 mm", "0 mm"] }, '
    '{ at = ["400 mm", "0 mm", "0 mm"], through = ["0 mm", "0 mm", "200 mm"] }'
)
RING = path(
    '{ at = ["200 mm", "0 mm", "0 mm"], through = ["0 mm", "-200 mm", "0 mm"] }, '
    '{ at = ["-200 mm", "0 mm", "0 mm"], through = ["0 mm", "200 mm", "0 mm"] }',
    closed=True,
)
PORTAL = frame(
    {"a": (0, 0, 0), "b": (0, 0, 800), "c": (1000, 0, 800), "d": (1000, 0, 0)},
    {
        "left": 'from = "a", to = "b"',
        "beam": 'from = "b", to = "c"',
        "right": 'from = "c", to = "d"',
    },
)
CORNERS = {"a": (0, 0), "b": (600, 0), "c": (600, 400), "d": (0, 400)}
SIDES = ("ab", "bc", "cd", "da")
TABLE = frame(
    {f"{name}{z}": (*place, z) for z in (0, 700) for name, place in CORNERS.items()},
    {f"p{name}": f'from = "{name}0", to = "{name}700"' for name in CORNERS}
    | {f"t{one}{two}": f'from = "{one}700", to = "{two}700"' for one, two in SIDES},
)
FEET = "".join(held(f"f.{name}0") for name in CORNERS)
SQUARE = frame(
    {"a": (0, 0, 0), "b": (600, 0, 0), "c": (600, 0, 600), "d": (0, 0, 600)},
    {f"m{one}{two}": f'from = "{one}", to = "{two}"' for one, two in SIDES},
)
FORK = (
    member("tine", (-40, 0, 0), (-40, 0, 250), BAR)
    + member("tine2", (40, 0, 0), (40, 0, 250), BAR)
    + member("yoke", (-40, 0, 0), (40, 0, 0), BAR)
    + joint("tine.start", "yoke.start")
    + joint("tine2.start", "yoke.end")
)
RIBBED = (
    flat('shape = "rectangle", width = "500 mm", height = "400 mm"')
    + """
[parts.r]
kind = "rib"
on = "w"
from = { at = ["-250 mm", "0 mm"] }
to = { at = ["250 mm", "0 mm"] }
material = "steel"
section = { shape = "solid rectangle", width = "5 mm", height = "25 mm" }
"""
)
UPRIGHT = ', turn = ["90 deg", "0 deg", "0 deg"]'
BOX = (
    plate("floor", 400, 300, (0, 0, 0))
    + plate("lid", 400, 300, (0, 0, 200))
    + plate("side", 400, 200, (0, -150, 100), UPRIGHT)
    + plate("side2", 400, 200, (0, 150, 100), UPRIGHT)
    + "".join(joint(one, two) for one in ("floor", "lid") for two in ("side", "side2"))
)
HUNG = (
    plate("box", 200, 150, (0, 0, 300))
    + member("leg", (0, 0, 0), (0, 0, 300), 'shape = "solid round", diameter = "8 mm"')
    + joint("leg.end", "box")
    + held("leg.start")
)
SPRUNG = (
    BEAM
    + """
[[supports]]
site = "b.axis"
springs = { x = "2 N/mm", y = "3 N/mm", z = "1 N/mm" }
"""
)

DISC = 'shape = "disc", diameter = "400 mm"'
PLATE = 'shape = "rectangle", width = "500 mm", height = "400 mm"'
SIMPLY = held("w.outline", '"simply supported"')
TUBE = '{ at = ["100 mm", "0 mm"] }, { at = ["100 mm", "300 mm"] }'
CHANNEL = (
    '{ at = ["-50 mm", "60 mm"] }, { at = ["-50 mm", "0 mm"] }, { at = ["50 mm", "0 mm"] }, '
    '{ at = ["50 mm", "60 mm"] }'
)

KNOWN: dict[str, tuple[tuple[str, ...], dict[int, str]]] = {
    "cantilever": (
        (BEAM, held("b.start")),
        {
            1: "bending about y, 1 half-wave",
            2: "bending about z, 1 half-wave",
            3: "bending about y, 2 half-waves",
        },
    ),
    "beam between pins": (
        (BEAM, PINNED),
        {1: "bending about y, 1 half-wave", 3: "bending about y, 2 half-waves"},
    ),
    "free bar": ((BEAM,), {1: "bending about y, 3 half-waves", 3: "bending about y, 4 half-waves"}),
    "sprung bar": ((SPRUNG,), {1: "moving on its springs"}),
    "arch": (
        (ARCH, held("b.start"), held("b.end")),
        {
            1: "bending out of its plane, 1 half-wave",
            2: "bending out of its plane, 2 half-waves",
            3: "bending in its plane, 2 half-waves",
        },
    ),
    "ring": (
        (RING,),
        {
            1: "bending in its plane, 2 waves round",
            3: "bending out of its plane, 2 waves round",
            5: "bending in its plane, 3 waves round",
        },
    ),
    "portal": (
        (PORTAL, held("f.a"), held("f.d")),
        {
            1: "swaying along y",
            2: "swaying along x",
            3: "twist about z",
            4: "bending of “beam”, along z",
        },
    ),
    "table": (
        (TABLE, FEET),
        {
            1: "swaying along x",
            2: "swaying along y",
            3: "twist about z",
            4: "racking in the x-y plane",
        },
    ),
    "free square frame": ((SQUARE,), {2: "racking in the x-z plane"}),
    "two equal tines": (
        (FORK,),
        {1: "bending about z of the 2 “tine”, 1 half-wave, in antiphase"},
    ),
    "cantilever plate": (
        (flat('shape = "rectangle", width = "500 mm", height = "120 mm"'), held("w.west")),
        {1: "bending, 1 × 1 half-waves", 2: "bending, 2 × 1 half-waves", 3: "twist about x"},
    ),
    "simply supported plate": (
        (flat(PLATE), SIMPLY),
        {
            1: "bending, 1 × 1 half-waves",
            2: "bending, 2 × 1 half-waves",
            3: "bending, 1 × 2 half-waves",
            4: "bending, 2 × 2 half-waves",
        },
    ),
    "ribbed plate": (
        (RIBBED, SIMPLY),
        {1: "bending, 1 × 1 half-waves", 2: "bending, 1 × 2 half-waves"},
    ),
    "clamped disc": (
        (flat(DISC), held("w.outline")),
        {
            1: "bending, 0 nodal diameters, 0 nodal circles",
            2: "bending, 1 nodal diameter, 0 nodal circles",
            6: "bending, 0 nodal diameters, 1 nodal circle",
        },
    ),
    "tube": (
        (shell("revolved", TUBE), held("w.start")),
        {1: "breathing (1, 2)", 3: "breathing (1, 3)", 7: "bending as a tube (1, 1)"},
    ),
    "cone": (
        (
            shell("revolved", '{ at = ["60 mm", "0 mm"] }, { at = ["120 mm", "250 mm"] }'),
            held("w.start"),
        ),
        {1: "breathing (1, 2)", 3: "breathing (1, 3)"},
    ),
    "cap": (
        (
            shell(
                "revolved",
                '{ at = ["0 mm", "80 mm"] }, '
                '{ at = ["150 mm", "0 mm"], through = ["80 mm", "58 mm"] }',
            ),
            held("w.end"),
        ),
        {1: "bending as a tube (1, 1)", 3: "breathing (1, 2)"},
    ),
    "channel": (
        (shell("extruded", CHANNEL, 'length = "700 mm"'), held("w.start")),
        {
            1: "bending as a beam along y, 1 half-wave",
            2: "bending as a beam along z, 1 half-wave",
            3: "twist about its length, 1 half-wave",
        },
    ),
    "box of plates": (
        (BOX,),
        {
            1: "racking in the y-z plane",
            3: "bending of the 2 “floor”, 1 × 1 half-waves, in antiphase",
        },
    ),
    "plate on a rod": ((HUNG,), {1: "“box” moving as one on “leg”, along x"}),
}


@pytest.mark.parametrize("name", KNOWN)
def test_a_known_shape_is_called_what_everybody_calls_it(name: str) -> None:
    pieces, wanted = KNOWN[name]
    found = modes_at(design_of(*pieces), ModeRequest(max(wanted), None, 1e-2), Discretisation(1, 5))
    kinds = found.kinds[found.rigid_count :]
    assert {number: kinds[number - 1] for number in wanted} == wanted


def test_there_are_thirty_known_shapes_and_more() -> None:
    assert sum(len(wanted) for _, wanted in KNOWN.values()) >= 45

"""Frames, rings, twisted and profiled members against theory, and against the same as shells."""

from __future__ import annotations

import math

import numpy as np
import pytest

from belltone.compare.likeness import Side
from belltone.compare.matched import compare
from belltone.mesh.discretisation import Discretisation
from belltone.modes.solve import ModeRequest
from tests.assemblies import design_of, frame, held, joint, member, modes_at, modes_of, plate

E, RHO, NU = 200e9, 7850.0, 0.3
L_FRAME = [16.5044, 48.114, 217.834, 340.227, 639.167, 903.778]
TABLE = [17.8427, 21.1765, 25.9254, 28.0617, 29.0572, 35.978, 40.9645, 49.814, 51.2338, 62.6269]
TWISTED = [8.17807, 35.7714, 58.2168, 137.392, 259.367, 279.108]


def test_an_l_frame_in_its_plane() -> None:
    """F01T: exact dynamic stiffness of Timoshenko members."""
    bar = 'shape = "solid rectangle", width = "50 mm", height = "50 mm"'
    text = frame(
        {"a": (0, 0, 0), "b": (0, 0, 1000), "c": (800, 0, 1000)},
        {"post": 'from = "a", to = "b"', "arm": 'from = "b", to = "c"'},
    ).replace('shape = "solid rectangle", width = "30 mm", height = "30 mm"', bar)
    modes = modes_of(text, held("f.a"), count=12, accuracy=1e-5)
    plane = [
        float(frequency)
        for frequency, moved in zip(modes.frequencies, modes.effective, strict=True)
        if moved[1] < 1e-6 * modes.mass
    ]
    assert plane == pytest.approx(L_FRAME, rel=2e-4)


def test_a_table_frame_free_in_space() -> None:
    """F03T: eight members, six rigid modes, torsion and bending in every one."""
    corners = [(0, 0), (1000, 0), (1000, 600), (0, 600)]
    nodes = {f"foot{k}": (*place, 0) for k, place in enumerate(corners)}
    nodes |= {f"top{k}": (*place, 700) for k, place in enumerate(corners)}
    members = {f"leg{k}": f'from = "foot{k}", to = "top{k}"' for k in range(4)}
    members |= {f"bar{k}": f'from = "top{k}", to = "top{(k + 1) % 4}"' for k in range(4)}
    round_bar = 'shape = "solid round", diameter = "30 mm", shear_factor = 0.9'
    text = frame(nodes, members).replace(
        'shape = "solid rectangle", width = "30 mm", height = "30 mm"', round_bar
    )
    modes = modes_of(text, count=10, accuracy=1e-4)
    assert modes.rigid_count == 6
    assert modes.flexible[:10] == pytest.approx(TABLE, rel=2e-4)
    assert modes.held.part_strain[6:].sum(axis=1) == pytest.approx(np.ones(len(modes.flexible)))


def ring(extra: str = "", section: str = "") -> str:
    section = section or 'shape = "solid round", diameter = "10 mm"'
    return f"""
[parts.r]
kind = "member"
material = "steel"
closed = true
path = [
  {{ at = ["500 mm", "0 mm", "0 mm"], through = ["0 mm", "-500 mm", "0 mm"] }},
  {{ at = ["-500 mm", "0 mm", "0 mm"], through = ["0 mm", "500 mm", "0 mm"] }},
]
section = {{ {section} }}
{extra}
"""


def test_a_free_ring() -> None:
    """Thin ring: in its plane A. E. H. Love's n(n²-1)/√(n²+1), out of it with G J as it is."""
    modes = modes_of(ring(), count=8, accuracy=1e-4)
    assert modes.rigid_count == 6
    radius, wire = 0.5, 0.01
    area, second = math.pi * wire**2 / 4, math.pi * wire**4 / 64
    unit = math.sqrt(E * second / (RHO * area)) / (2 * math.pi * radius**2)
    inside = [unit * n * (n * n - 1) / math.sqrt(n * n + 1) for n in (2, 3)]
    # Out of the plane, for a round wire: n(n²-1)/√(n²+1+nu).
    outside = [unit * n * (n * n - 1) / math.sqrt(n * n + 1 + NU) for n in (2, 3)]
    wanted = np.sort(np.repeat(inside + outside, 2))
    assert modes.flexible[:8] == pytest.approx(wanted, rel=2e-3)


def test_a_ring_as_a_shell() -> None:
    """A flat ring of 20 x 4 mm by the line kernel and by the surface kernel."""
    by_line = ring(section='shape = "solid rectangle", width = "4 mm", height = "20 mm"')
    by_wall = """
[parts.r]
kind = "revolved"
material = "steel"
thickness = "4 mm"
profile = [{ at = ["500 mm", "-10 mm"] }, { at = ["500 mm", "10 mm"] }]
"""
    one = modes_of(by_line, count=4, accuracy=1e-3).flexible[:4]
    two = modes_of(by_wall, count=4, accuracy=2e-3).flexible[:4]
    assert one == pytest.approx(two, rel=5e-3)


def test_a_twisted_member() -> None:
    """B14: pretwisted cantilever, bending in both planes coupled; torsion and axial left out."""
    text = f"""
[parts.b]
kind = "member"
material = "steel"
length = "1 m"
twist = "30 deg"
section = {{ shape = "solid rectangle", width = "50 mm", height = "10 mm" }}
{held("b.start")}
"""
    modes = modes_of(text, count=8, accuracy=1e-4)
    bending = [f for f, k in zip(modes.frequencies, modes.kinds, strict=True) if "bending" in k]
    assert bending[:6] == pytest.approx(TWISTED, rel=2e-3)


def test_a_bent_member_is_its_own_mirror() -> None:
    """Turning or mirroring a whole component changes no frequency."""
    path = """
path = [
  { at = ["0 mm", "0 mm", "0 mm"] },
  { at = ["0 mm", "0 mm", "400 mm"], bend = "80 mm" },
  { at = ["300 mm", "100 mm", "400 mm"], bend = "50 mm" },
  { at = ["300 mm", "400 mm", "600 mm"] },
]
"""
    base = f"""
[parts.b]
kind = "member"
material = "steel"
{path}
section = {{ shape = "channel", width = "20 mm", height = "40 mm", web = "2 mm", flange = "3 mm" }}
PLACE
{held("b.start")}
"""
    found = [
        modes_of(base.replace("PLACE", place), count=6, accuracy=1e-3).flexible
        for place in ("", 'placement = { turn = ["40 deg", "-70 deg", "15 deg"] }')
    ]
    assert found[0] == pytest.approx(found[1], rel=1e-6)


def test_a_tube_by_members_and_by_a_shell() -> None:
    """A slender tube bends as one: the shell's beam modes are the member's."""
    tube = member(
        "t", (0, 0, 0), (1000, 0, 0), 'shape = "round tube", diameter = "52 mm", wall = "2 mm"'
    )
    shell = """
[parts.t]
kind = "revolved"
material = "steel"
thickness = "2 mm"
profile = [{ at = ["25 mm", "0 mm"] }, { at = ["25 mm", "1000 mm"] }]
"""
    line = modes_of(tube, held("t.start"), count=3, accuracy=1e-4)
    wall = modes_of(shell, held("t.start"), count=3, accuracy=5e-3)
    assert line.flexible[:2] == pytest.approx(wall.flexible[:2], rel=1e-2)


def test_a_channel_twists_about_its_shear_centre_as_its_shell_does() -> None:
    """The lowest modes of a channel couple sway and twist through the shear centre's offset."""
    section = """shape = "thin-walled", wall = "2 mm", profile = [
  { at = ["30 mm", "30 mm"] }, { at = ["0 mm", "30 mm"] },
  { at = ["0 mm", "-30 mm"] }, { at = ["30 mm", "-30 mm"] },
]"""
    line = member("c", (0, 0, 0), (1500, 0, 0), section)
    coupled = modes_of(line, held("c.start"), held("c.end"), count=4, accuracy=1e-3)
    assert coupled.rigid_count == 0
    # Bending towards the web's side couples with twist; towards the open side it does not.
    kinds = " | ".join(coupled.kinds[:4])
    assert "twist" in kinds
    assert " with " in kinds


def test_an_angle_bends_about_its_slant_axes() -> None:
    """A free equal angle: its lowest frequency is that of the weakest slant axis."""
    size, wall, length = 0.05, 0.005, 1.5
    section = 'shape = "angle", width = "50 mm", height = "50 mm", wall = "5 mm"'
    modes = modes_of(member("a", (0, 0, 0), (1500, 0, 0), section), count=4, accuracy=1e-4)
    area = 2 * size * wall - wall**2
    part = design_of(member("a", (0, 0, 0), (1500, 0, 0), section)).parts[0]
    properties = part.section.properties(NU)  # type: ignore[union-attr]
    weak = float(properties.second_moment_y) - abs(float(properties.product_moment))
    root = 4.730041**2 / (2 * math.pi * length**2)
    slender = root * math.sqrt(E * weak / (RHO * area))
    assert modes.flexible[0] == pytest.approx(slender, rel=5e-3)


def test_a_turned_neck_is_a_taper_in_the_limit() -> None:
    """A cone turned from two points is the tapered round bar."""
    cone = """
[parts.c]
kind = "turned"
material = "steel"
contour = [{ at = "0 mm", radius = "30 mm" }, { at = "600 mm", radius = "15 mm" }]
"""
    taper = member("c", (0, 0, 0), (600, 0, 0), 'shape = "solid round", diameter = "60 mm"')
    taper += 'section_at_end = { shape = "solid round", diameter = "30 mm" }\n'
    one = modes_of(cone, held("c.start"), count=4, accuracy=1e-5).flexible
    two = modes_of(taper, held("c.start"), count=4, accuracy=1e-5).flexible
    assert one[:4] == pytest.approx(two[:4], rel=1e-7)
    necked = cone.replace('radius = "15 mm" }', 'radius = "30 mm", throat = "15 mm" }')
    slim = modes_of(necked, held("c.start"), count=2, accuracy=1e-4).flexible
    assert slim[0] < one[0]


def test_mass_along_a_member_lowers_it_by_its_root() -> None:
    bar = member("b", (0, 0, 0), (1000, 0, 0)) + held("b.start")
    own = 0.02 * 0.02 * RHO
    loaded = bar.replace("section = {", f'mass_per_length = "{3 * own} kg/m"\nsection = {{')
    one = modes_of(bar, count=2, accuracy=1e-4).flexible
    two = modes_of(loaded, count=2, accuracy=1e-4).flexible
    assert one[0] / two[0] == pytest.approx(2.0, rel=1e-3)


def test_a_rib_as_a_member_and_as_a_plate() -> None:
    rib = """
[parts.r]
kind = "rib"
on = "p"
material = "steel"
offset = "10 mm"
from = { at = ["-300 mm", "0 mm"] }
to = { at = ["300 mm", "0 mm"] }
section = { shape = "solid rectangle", width = "4 mm", height = "20 mm" }
"""
    upright = plate("r", 600, 20, (0, 0, 10), ', turn = ["90 deg", "0 deg", "0 deg"]')
    wall = plate("p", 600, 400, (0, 0, 0)) + held("p.outline", '"simply supported"')
    wall += held("p.west", '["x", "y"]')
    level = Discretisation(1, 5)
    request = ModeRequest(6, None, 1e-2)
    ribbed, plain = design_of(wall, rib), design_of(wall)
    as_member = modes_at(ribbed, request, level)
    as_plate = modes_at(design_of(wall, upright, joint("p", "r")), request, level)
    bare = modes_at(plain, request, level)
    assert as_member.flexible[:6] == pytest.approx(as_plate.flexible[:6], rel=1e-2)
    assert as_member.flexible[0] > 1.2 * bare.flexible[0]
    told = compare(Side("plain", plain, bare), Side("ribbed", ribbed, as_member)).matches
    assert told[0].number == 1
    assert told[0].change > 0.2


@pytest.mark.parametrize("side", ["outer", "inner"])
def test_ribs_follow_a_curved_wall(side: str) -> None:
    """Hoops inside or outside a tube keep it round: breathing rises, the tube's bending hardly."""
    tube = """
[parts.t]
kind = "revolved"
material = "steel"
thickness = "1 mm"
profile = [{ at = ["100 mm", "0 mm"] }, { at = ["100 mm", "400 mm"] }]
"""
    hoop = f"""
[parts.h]
kind = "rib"
on = "t"
material = "steel"
side = "{side}"
from = {{ profile = "200 mm", around = "0 deg" }}
to = {{ profile = "200 mm", around = "360 deg" }}
section = {{ shape = "solid rectangle", width = "3 mm", height = "10 mm" }}
"""
    level, request = Discretisation(1, 4), ModeRequest(6, None, 1e-1)
    design = design_of(tube, hoop, held("t.start"))
    hooped = modes_at(design, request, level)
    bare = modes_at(design_of(tube, held("t.start")), request, level)
    assert hooped.flexible[0] > bare.flexible[0]
    rib = design.part_of("h")
    places = rib.path.at(np.linspace(0, 1, 9))[0]  # type: ignore[union-attr]
    away = 0.1 + (0.0055 if side == "outer" else -0.0055)
    assert np.hypot(*places[:, :2].T) == pytest.approx(np.full(9, away))


def test_loads_of_parts_add_up() -> None:
    """Energy shares and masses of the parts make the whole."""
    portal = frame(
        {"a": (0, 0, 0), "b": (0, 0, 800), "c": (600, 0, 800), "d": (600, 0, 0)},
        {"l": 'from = "a", to = "b"', "t": 'from = "b", to = "c"', "r": 'from = "c", to = "d"'},
    )
    modes = modes_of(portal, held("f.a"), held("f.d"), count=6, accuracy=1e-3)
    assert modes.part_names == ("f.l", "f.t", "f.r")
    assert modes.held.part_strain.sum(axis=1) == pytest.approx(np.ones(len(modes)))
    # The portal is its own mirror image: both posts share alike.
    assert modes.held.part_strain[:4, 0] == pytest.approx(modes.held.part_strain[:4, 2], abs=1e-6)
    assert modes.mass == pytest.approx(0.03**2 * RHO * 2.2)
    assert sum(modes.point_counts) == modes.shapes.shape[1]

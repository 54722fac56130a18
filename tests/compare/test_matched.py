"""Which mode is which, across materials, meshes, placement, parts and preload."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np
import pytest

from belltone.compare.among import among
from belltone.compare.likeness import Side, aligned, likeness
from belltone.compare.matched import Comparison, compare
from belltone.design.values import Design
from belltone.exchange.compare_tables import among_rows, among_table, match_rows, match_table
from belltone.mesh.discretisation import Discretisation
from belltone.modes.matching import clusters
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from tests.assemblies import design_of, held, member, modes_at, plate
from tests.geometry.test_received_meshes import flat, part, written

COARSE = Discretisation(1, 5)


@cache
def side(name: str, *pieces: str, count: int = 8) -> Side:
    design = design_of(*pieces)
    return Side(name, design, modes_at(design, ModeRequest(count, None, 1e-2), COARSE))


def of_metal(density: str, modulus: str) -> Design:
    return evaluate(
        Sheet.from_text(f"""belltone = 1
[materials.metal]
density = "{density}"
youngs_modulus = "{modulus}"
poisson_ratio = 0.3
{plate("p", 600, 400, (0, 0, 0)).replace('"steel"', '"metal"')}
{held("p.west")}
""")
    )


def test_aluminium_against_steel_has_the_same_shapes_at_the_root_of_e_over_rho() -> None:
    steel, light = of_metal("7850 kg/m^3", "200 GPa"), of_metal("2700 kg/m^3", "70 GPa")
    request = ModeRequest(8, None, 1e-2)
    found = compare(
        *(
            Side(name, own, modes_at(own, request, COARSE))
            for name, own in (("steel", steel), ("light", light))
        )
    )
    wanted = np.sqrt((70 / 2700) / (200 / 7850)) - 1
    assert [each.number_after for each in found.matches] == list(range(1, 9))
    assert [each.change for each in found.matches] == pytest.approx([wanted] * 8, rel=1e-6)
    assert min(each.assurance for each in found.matches) > 1 - 1e-9
    assert {each.words for each in found.matches} == {"stiffens"}


def test_modes_that_cross_are_followed_by_shape_and_change_places() -> None:
    """A bar wider than tall, then taller than wide: bending about y and z change places."""
    flat = 'shape = "solid rectangle", width = "24 mm", height = "20 mm"'
    tall = 'shape = "solid rectangle", width = "24 mm", height = "28 mm"'
    ends = (0, 0, 0), (800, 0, 0)
    found = compare(
        side("flat", member("b", *ends, flat), held("b.start"), count=4),
        side("tall", member("b", *ends, tall), held("b.start"), count=4),
    )
    first = found.partner(1)
    assert first is not None
    assert first.kind == first.kind_after == "bending about y, 1 half-wave"
    assert first.words == "stiffens, changed places with mode 2"
    assert first.change == pytest.approx(28 / 20 - 1, rel=3e-3)  # shear takes a little
    second = found.partner(2)
    assert second is not None
    assert second.words == "stays, changed places with mode 1"


@pytest.mark.parametrize(
    "extra",
    [
        ', turn = ["0 deg", "0 deg", "90 deg"]',
        ', turn = ["30 deg", "40 deg", "50 deg"]',
    ],
)
def test_a_part_that_was_moved_and_turned_is_the_part_it_was(extra: str) -> None:
    here = side("here", plate("p", 600, 400, (0, 0, 0)), held("p.west"))
    there = side("there", plate("p", 600, 400, (100, 50, 20), extra), held("p.west"))
    found = compare(here, there)
    assert [each.number_after for each in found.matches] == list(range(1, 9))
    assert min(each.assurance for each in found.matches) > 0.999
    assert max(abs(each.change or 0.0) for each in found.matches) < 1e-6


def test_masses_that_hang_on_a_turned_part_tell_its_modes_apart() -> None:
    """A heavy mass with an arm: without what it moves, modes look like mixtures of each other."""
    hung = (
        '[[masses]]\nsite = "p.east"\nname = "drive"\nmass = "30 kg"\noffset = {}\n'
        'inertia = ["0.4 kg*m^2", "0.4 kg*m^2", "0.4 kg*m^2"]\n'
    )
    plain = hung.format('["0 mm", "0 mm", "150 mm"]')
    here = side("here", plate("p", 600, 400, (0, 0, 0)), held("p.west"), plain)
    extra = ', turn = ["0 deg", "90 deg", "0 deg"]'
    over = hung.format('["150 mm", "0 mm", "0 mm"]')
    there = side("there", plate("p", 600, 400, (10, 20, 30), extra), held("p.west"), over)
    found = compare(here, there)
    assert [each.number_after for each in found.matches] == list(range(1, 9))
    assert max(abs(each.change or 0.0) for each in found.matches) < 1e-6
    # By mass, modes are orthogonal to each other, as they are here where all mass is counted.
    assert found.assurance == pytest.approx(np.eye(8), abs=0.02)
    # A mass that is there no more leaves modes what they were.
    bare = side("bare", plate("p", 600, 400, (10, 20, 30), extra), held("p.west"))
    assert sum(each.paired for each in compare(here, bare).matches) >= 5


def test_another_mesh_changes_nothing_about_which_mode_is_which() -> None:
    """A small hole gives the plate other blocks and other points."""
    hole = '[[parts.p.holes]]\nname = "h"\nat = ["150 mm", "60 mm"]\ndiameter = "12 mm"\n'
    hole = hole.replace("[[parts", "[[parts").replace('name = "h"', 'shape = "round"\nname = "h"')
    plain = side("plain", plate("p", 600, 400, (0, 0, 0)), held("p.west"))
    holed = side("holed", plate("p", 600, 400, (0, 0, 0)), hole, held("p.west"))
    assert plain.modes.point_counts != holed.modes.point_counts
    found = compare(plain, holed)
    assert [each.number_after for each in found.matches] == list(range(1, 9))
    assert min(each.assurance for each in found.matches) > 0.98


def test_what_moves_in_a_new_part_says_so() -> None:
    base = plate("p", 600, 400, (0, 0, 0))
    tongue = member(
        "tongue", (300, 0, 0), (800, 0, 0), 'shape = "solid rectangle", width="9 mm", height="6 mm"'
    )
    joined = '[[joints]]\nbetween = ["tongue.start", "p.east"]\nhow = "welded"\n'
    bare = side("bare", base, held("p.west"))
    longer = side("longer", base, tongue, joined, held("p.west"), count=10)
    found = compare(bare, longer)
    alone = [each for each in found.matches if each.number is None]
    assert any("moves mostly in “tongue”, which “bare” has not" in each.reason for each in alone)
    # Nothing is left out on either side.
    assert [each.number for each in found.matches if each.number] == list(range(1, 9))
    after = sorted(each.number_after for each in found.matches if each.number_after)
    assert after == list(range(1, 11))


def test_what_is_held_now_says_so() -> None:
    base = plate("p", 600, 400, (0, 0, 0))
    free = side("cantilever", base, held("p.west"), count=4)
    both = side("held at both ends", base, held("p.west"), held("p.east"), count=4)
    lost = compare(free, both).partner(1)
    assert lost is not None
    assert not lost.paired
    assert lost.words == ("has no partner: it moves at “p.east”, held in “held at both ends”")


def test_a_round_tube_against_an_oval_one_turns_the_pair_to_the_split_ones() -> None:
    """The pair of the round bar is mixed at will; it is shown as the oval one's bending."""
    ends = (0, 0, 0), (900, 0, 0)
    round_, oval = (
        side(name, member("b", *ends, f'shape = "ellipse", width = "30 mm", height = "{h}"'),
             held("b.start"), count=6)
        for name, h in (("round", "30 mm"), ("oval", "33 mm"))
    )  # fmt: skip
    assert any(group.stop - group.start == 2 for group in clusters(round_.modes.flexible))
    mixed = _stirred(round_)
    for one, two in ((mixed, oval), (oval, mixed), (mixed, _stirred(round_, 0.3))):
        found = compare(one, two)
        both = [each for each in found.matches if each.paired]
        assert len(both) == 6
        assert min(each.assurance for each in both) > 0.999
        place = found.first.modes.rigid_count
        # What is drawn on both sides is the same motion, and not a turned one.
        for match in both:
            assert match.number is not None
            assert match.number_after is not None
            shapes = [
                own.modes.shapes[place + number - 1]
                for own, number in ((found.first, match.number), (found.second, match.number_after))
            ]
            cosine = np.vdot(*shapes) / np.prod([np.linalg.norm(own) for own in shapes])
            assert cosine > 0.99


def test_a_pair_is_one_entry_while_it_stays_one() -> None:
    ends = (0, 0, 0), (900, 0, 0)
    thin, thick, oval = (
        side(name, member("b", *ends, f'shape = "ellipse", width = "{w}", height = "{h}"'),
             held("b.start"), count=6)
        for name, w, h in (
            ("thin", "30 mm", "30 mm"), ("thick", "36 mm", "36 mm"), ("oval", "30 mm", "33 mm")
        )
    )  # fmt: skip
    found = compare(thin, thick)
    assert [[each.number for each in entry] for entry in found.entries] == [
        [1, 2],
        [3, 4],
        [5, 6],
    ]
    rows = match_rows(found)
    assert [row[0] for row in rows] == ["1 and 2", "3 and 4", "5 and 6"]
    assert rows[0][2] == "1 and 2"
    assert rows[0][-1].endswith("; a pair")
    assert [row[0] for row in match_table(found).rows] == ["1 and 2", "3 and 4", "5 and 6"]
    # Where it parts, each goes its own way, and is told so.
    split = compare(thin, oval)
    assert [len(entry) for entry in split.entries] == [1] * len(split.matches)
    both = among([thin, thick, oval])
    assert [len(entry) for entry in both.entries] == [1] * len(both.rows)
    alone = among([thin, thick])
    assert [row[0] for row in among_rows(alone)] == ["1 and 2", "3 and 4", "5 and 6"]
    assert len(among_table(alone).rows) == 3


def _stirred(own: Side, angle: float = 0.7) -> Side:
    """The same modes with the first pair turned within itself."""
    from dataclasses import replace

    modes = own.modes
    group = next(each for each in clusters(modes.flexible) if each.stop - each.start == 2)
    turn = np.eye(len(modes))
    rows = slice(modes.rigid_count + group.start, modes.rigid_count + group.stop)
    turn[rows, rows] = [[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]]
    return replace(
        own,
        modes=replace(
            modes,
            shapes=np.tensordot(turn, modes.shapes, 1),
            signatures=turn @ modes.signatures,
        ),
    )


def test_aligned_shapes_keep_frequencies_and_all_assurances_of_a_pair() -> None:
    tube = side("tube", member("b", (0, 0, 0), (700, 0, 0)), held("b.start"), count=6)
    turned = _stirred(tube)
    found = likeness(tube, turned)
    partners = np.arange(len(tube.modes.flexible))
    _, second, after = aligned(tube, turned, partners, found)
    assert np.array_equal(second.modes.frequencies, turned.modes.frequencies)
    assert np.abs(np.diag(after.assurance) - 1).max() < 1e-9
    assert found.assurance.sum() == pytest.approx(after.assurance.sum(), rel=1e-9)


def test_several_designs_beside_the_first_rank_by_change() -> None:
    ends = (0, 0, 0), (800, 0, 0)
    sizes = [
        side(
            f"{height} mm",
            member("b", *ends, f'shape="solid rectangle", width="24 mm", height="{height} mm"'),
            held("b.start"),
            count=4,
        )
        for height in (20, 22, 28)
    ]
    found = among(sizes)
    assert [row.number for row in found.rows if row.number] == [1, 2, 3, 4]
    top = found.by_change()[0]
    assert top.kind.startswith("bending about y")
    assert len(found.comparisons) == 2
    assert all(isinstance(each, Comparison) for each in found.comparisons)
    changes = [row.largest_change for row in found.by_change()]
    assert changes == sorted(changes, reverse=True)


def test_with_and_without_a_weld() -> None:
    """Two plates end to end: unwelded, each swings by itself, and what the weld made is told."""
    one, two = plate("a", 300, 200, (-150, 0, 0)), plate("b", 300, 200, (150, 0, 0))
    ends = held("a.west"), held("b.east")
    weld = '[[joints]]\nbetween = ["a", "b"]\nhow = "{}"\n'
    welded = side("welded", one, two, weld.format("welded"), *ends, count=6)
    apart = side("apart", one, two, weld.format("none"), *ends, count=8)
    found = compare(welded, apart)
    assert [each.number for each in found.matches if each.number] == list(range(1, 7))
    after = [each.number_after for each in found.matches if each.number_after]
    assert sorted(after) == list(range(1, 9))
    changed = [each.change for each in found.matches if each.change is not None]
    # Nothing becomes stiffer by taking a weld away.
    assert changed
    assert max(changed) < 0.05


def test_two_load_directions_on_a_laminate_blade() -> None:
    """A pull along the blade stiffens its bending, a push softens it; the twist hardly cares."""
    sheet = """belltone = 1
[materials.ply]
density = "1600 kg/m^3"
modulus_along = "130 GPa"
modulus_across = "9 GPa"
poisson_ratio = 0.3
shear_in_plane = "5 GPa"
shear_along = "5 GPa"
shear_across = "3 GPa"
[parts.blade]
kind = "plate"
outline = { shape = "rectangle", width = "400 mm", height = "80 mm" }
plies = [
  { material = "ply", thickness = "1 mm", angle = "30 deg" },
  { material = "ply", thickness = "1 mm", angle = "-30 deg" },
]
[[supports]]
site = "blade.west"
hold = "clamped"
[[preload.forces]]
site = "blade.east"
force = ["FORCE", "0 N", "0 N"]
"""
    sides = []
    for name, force in (("pulled", "400 N"), ("pushed", "-10 N")):
        design = evaluate(Sheet.from_text(sheet.replace("FORCE", force)))
        modes = modes_at(design, ModeRequest(4, None, 1e-2), COARSE)
        sides.append(Side(name, design, modes))
    found = compare(*sides)
    assert all(each.paired for each in found.matches)
    assert min(each.assurance for each in found.matches) > 0.9
    first = found.partner(1)
    assert first is not None
    assert first.verb == "softens"
    changes = [abs(each.change or 0.0) for each in found.matches]
    assert max(changes) == changes[0]


def test_a_received_mesh_against_the_plate_it_was_made_of(tmp_path: Path) -> None:
    """The same part, once as it is described and once as somebody meshed it."""
    points, quads = flat(24, 16)
    written(tmp_path, "p.vtu", points, [("quad", quads)])
    design = design_of(part("p.vtu", name="p"), folder=tmp_path)
    theirs = Side("received", design, solve_modes(design, ModeRequest(5, None, 2e-2)))
    ours = side("described", plate("p", 600, 400, (0, 0, 0)), count=5)
    for one, two in ((ours, theirs), (theirs, ours)):
        found = compare(one, two)
        assert [each.number_after for each in found.matches] == list(range(1, 6))
        assert min(each.assurance for each in found.matches) > 0.99
        assert max(abs(each.change or 0.0) for each in found.matches) < 0.01

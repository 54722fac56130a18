"""Every sort of part answers what is asked of its kind, and its sites are where they are said."""

from __future__ import annotations

import gc
from pathlib import Path

import numpy as np
import pytest

from belltone.design.parts import PartValue
from belltone.desk.starts import starts
from belltone.mesh.discretisation import Discretisation
from belltone.modes.level import planned
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet, read_sheet
from belltone.system import kinds
from belltone.system.assembly import bodies_of
from belltone.system.bodies import Body
from belltone.system.kinds import kind_of, lone_body, place_lines, place_position

EXAMPLES = sorted((Path(__file__).parents[2] / "examples").glob("*.toml"))
SHEETS = {path.stem: read_sheet(path) for path in EXAMPLES}
SHEETS |= {start.title: Sheet.from_text(start.text) for start in starts()}


@pytest.fixture(scope="module", params=SHEETS)
def bodies(request: pytest.FixtureRequest) -> tuple[Body, ...]:
    """The parts of a sheet, coarsely meshed."""
    design = evaluate(SHEETS[request.param])
    return bodies_of(design, planned(design, Discretisation(1, 4)))


def nearest(line: np.ndarray, points: np.ndarray) -> np.ndarray:
    """How far points are from a line of points."""
    if len(line) == 1:
        return np.linalg.norm(points - line[0], axis=1)
    start, run = line[:-1], np.diff(line, axis=0)
    length = np.maximum(np.sum(run**2, axis=1), 1e-300)
    share = np.clip(np.sum((points[:, None] - start) * run, axis=2) / length, 0.0, 1.0)
    return np.linalg.norm(start + share[..., None] * run - points[:, None], axis=2).min(axis=1)


def test_sites_of_the_mesh_lie_on_the_lines_they_are_drawn_with(
    bodies: tuple[Body, ...],
) -> None:
    for body in bodies:
        for name, feature in body.part.features.items():
            place = body.part.place_of(name)
            site, lines = body.site(place), place_lines(body.part, place)
            assert np.all(np.isfinite(place_position(body.part, place)))
            if feature.sort in ("face", "axis"):
                continue
            away = np.min([nearest(line, site.positions) for line in lines], axis=0)
            # Lines are drawn with chords of what is curved.
            assert away.max() <= 0.02 * body.mesh.size, (body.part.name, name)


def test_lines_of_a_site_are_kept_as_long_as_its_part() -> None:
    design = evaluate(SHEETS["pump_cover"])
    part, place = design.parts[0], design.places["cover.inlet"]
    lines = place_lines(part, place)
    assert place_lines(part, place) is lines
    key = id(part)
    assert place in kinds._LINES.of(part)
    del design, part
    gc.collect()
    assert key not in kinds._LINES


def test_a_part_by_itself_weighs_what_it_weighs_in_the_whole(bodies: tuple[Body, ...]) -> None:
    for body in bodies:
        alone = lone_body(body.part)
        masses = [float(each.elements.inertia().uu.sum()) for each in (alone, body)]
        assert masses[0] == pytest.approx(masses[1], rel=1e-4)


def test_fixed_points_carry_the_mass_and_read_moves_as_they_are(bodies: tuple[Body, ...]) -> None:
    move = np.array([1.0, -2.0, 0.5, 0.0, 0.0, 0.0])
    for body in bodies:
        witness = kind_of(body.part).witness(body, 1)
        nodes = len(body.mesh.coordinates)
        read = witness.shapes(np.tile(move, (1, nodes, 1)))
        assert read == pytest.approx(np.broadcast_to(move, read.shape), abs=1e-9)
        assert len(witness.positions) == read.shape[1]
        mass = float(body.elements.inertia().uu.sum())
        assert witness.masses.sum() == pytest.approx(mass, rel=0.05)


def test_parts_tell_what_they_are_made_of() -> None:
    design = evaluate(SHEETS["filler_gantry"])
    sorts: set[type[PartValue]] = {type(part) for part in design.parts}
    assert all(part.is_solid == bool(part.moduli) for part in design.parts)
    assert all(part.depth > 0 for part in design.solid_parts)
    assert sorts

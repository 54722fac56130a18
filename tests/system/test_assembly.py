from collections.abc import Callable

import numpy as np
import pytest

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.surface import SurfaceMesh
from belltone.system.assembly import assemble
from tests.assemblies import design_of, plate
from tests.conftest import CLAMPED, held

ROUND = 'shape = "solid round", diameter = "20 mm"'


@pytest.mark.parametrize(
    ("rest", "left"),
    [
        (CLAMPED, ()),
        ("", ("slides along x", "slides along y", "slides along z", "turns about x",
              "turns about y", "turns about z")),
        (held("bar.start", '["x", "y", "z"]') + held("bar.end", '["y", "z"]'), ("turns about x",)),
        (held("bar.start", '["z"]') + held("bar.end", '["z"]'),
         ("slides along x", "slides along y", "turns about x", "turns about z")),
        (held("bar.start", '"pinned"'), ("turns about y", "turns about z")),
        (held("bar.start", '"guided"'), ("slides along y", "slides along z")),
        (held("bar.start", '"pinned"') + held("bar.end", '"pinned"'), ()),
        (held("bar.start", '"free"'), ("slides along x", "slides along y", "slides along z",
                                       "turns about x", "turns about y", "turns about z")),
    ],
)  # fmt: skip
def test_motions_left_are_counted_and_named(
    bar: Callable[..., Design], rest: str, left: tuple[str, ...]
) -> None:
    system = assemble(bar(ROUND, rest=rest), Discretisation(2, 3))
    assert system.rigid_names == left
    unit = system.rigid.T @ (system.mass @ system.rigid)
    assert unit == pytest.approx(np.eye(len(left)), abs=1e-12)
    forces = np.asarray(system.stiffness @ system.rigid)
    if left:
        assert np.abs(forces).max() < 1e-9 * abs(system.stiffness).max()


def test_supports_may_share_a_site_and_repeat_themselves(bar: Callable[..., Design]) -> None:
    once = assemble(bar(ROUND, rest=CLAMPED), Discretisation(1, 3))
    rest = CLAMPED + held("bar.start", '["x", "turn y"]') + CLAMPED
    again = assemble(bar(ROUND, rest=rest), Discretisation(1, 3))
    assert again.stiffness.shape == once.stiffness.shape


def test_held_motions_do_not_move(bar: Callable[..., Design]) -> None:
    rest = held("bar.end", '["y", "turn z"]')
    design = bar(ROUND, rest=rest)
    system = assemble(design, Discretisation(1, 2))
    motions = system.node_motions(np.eye(system.stiffness.shape[0]))
    end = motions[:, system.bodies[0].site(design.places["bar.end"]).nodes[0, 0]]
    assert np.abs(end[:, [1, 5]]).max() < 1e-14
    assert np.abs(end[:, [0, 2, 3, 4]]).max() == pytest.approx(1.0)


def test_sites_of_a_free_wall_are_not_looked_for(monkeypatch: pytest.MonkeyPatch) -> None:
    """Its motions are named without them, for every design of a sweep; corners take long."""
    monkeypatch.setattr(SurfaceMesh, "site", None)
    system = assemble(design_of(plate("p", 300, 200, (0, 0, 0))), Discretisation(1, 3))
    assert len(system.rigid_names) == 6

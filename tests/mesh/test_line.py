from collections.abc import Callable

import numpy as np
import pytest

from belltone.mesh.discretisation import Discretisation
from belltone.mesh.line import line_mesh
from belltone.sheet.design import Design
from tests.conftest import held

ROUND = 'shape = "solid round", diameter = "20 mm"'


def sites(*places: str) -> str:
    text = ""
    for number, place in enumerate(places):
        text += f'[sites.p{number}]\npart = "bar"\nalong = "{place}"\n' + held(
            f"p{number}", '["z"]'
        )
    return text


def test_every_used_site_is_a_node(bar: Callable[..., Design]) -> None:
    design = bar(ROUND, rest=sites("0.3 m", "0.71 m"))
    mesh = line_mesh(design, design.part, Discretisation(2, 3))
    assert len(mesh.stretches) == 6
    assert mesh.coordinates[mesh.site_nodes["p0"]] == pytest.approx([0.3, 0, 0])
    assert mesh.coordinates[mesh.site_nodes["p1"]] == pytest.approx([0.71, 0, 0])
    assert mesh.unknowns == 6 * (6 * 3 + 1)


def test_sites_in_one_place_share_a_node(bar: Callable[..., Design]) -> None:
    design = bar(ROUND, rest=sites("0.3 m", "0.3000001 m", "0.9999999 m"))
    mesh = line_mesh(design, design.part, Discretisation(1, 2))
    assert len(mesh.stretches) == 2
    assert mesh.site_nodes["p0"] == mesh.site_nodes["p1"]
    assert mesh.site_nodes["p2"] == len(mesh.coordinates) - 1


def test_elements_share_their_end_nodes(bar: Callable[..., Design]) -> None:
    design = bar(ROUND)
    mesh = line_mesh(design, design.part, Discretisation(3, 4))
    assert np.array_equal(mesh.connectivity[1:, 0], mesh.connectivity[:-1, -1])
    element, local = mesh.sample(np.array([0.0, 0.5, 1.0]))
    assert list(element) == [0, 1, 2]
    assert local == pytest.approx([-1, 0, 1])

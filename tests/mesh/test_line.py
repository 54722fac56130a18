from collections.abc import Callable

import numpy as np
import pytest

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.line import LineMesh
from belltone.system.division import mesh_bodies
from tests.conftest import held

ROUND = 'shape = "solid round", diameter = "20 mm"'


def mesh_of(design: Design, discretisation: Discretisation) -> LineMesh:
    (_, mesh), *_ = mesh_bodies(design, discretisation)
    assert isinstance(mesh, LineMesh)
    return mesh


def node_of(design: Design, mesh: LineMesh, site: str) -> int:
    found = mesh.site(design.places[site])
    assert found.nodes.shape == (1, 1)
    return int(found.nodes[0, 0])


def sites(*places: str) -> str:
    text = ""
    for number, place in enumerate(places):
        text += f'[sites.p{number}]\npart = "bar"\nalong = "{place}"\n' + held(
            f"p{number}", '["z"]'
        )
    return text


def test_every_used_site_is_a_node(bar: Callable[..., Design]) -> None:
    design = bar(ROUND, rest=sites("0.3 m", "0.71 m"))
    mesh = mesh_of(design, Discretisation(2, 3))
    assert len(mesh.stretches) == 6
    assert mesh.coordinates[node_of(design, mesh, "p0")] == pytest.approx([0.3, 0, 0])
    assert mesh.coordinates[node_of(design, mesh, "p1")] == pytest.approx([0.71, 0, 0])
    assert mesh.unknowns == 6 * (6 * 3 + 1)


def test_sites_in_one_place_share_a_node(bar: Callable[..., Design]) -> None:
    design = bar(ROUND, rest=sites("0.3 m", "0.3000001 m", "0.9999999 m"))
    mesh = mesh_of(design, Discretisation(1, 2))
    assert len(mesh.stretches) == 2
    assert node_of(design, mesh, "p0") == node_of(design, mesh, "p1")
    assert node_of(design, mesh, "p2") == len(mesh.coordinates) - 1


def test_elements_share_their_end_nodes(bar: Callable[..., Design]) -> None:
    design = bar(ROUND)
    mesh = mesh_of(design, Discretisation(3, 4))
    assert np.array_equal(mesh.connectivity[1:, 0], mesh.connectivity[:-1, -1])
    element, local = mesh.sample(np.array([0.0, 0.5, 1.0]))
    assert list(element) == [0, 1, 2]
    assert local == pytest.approx([-1, 0, 1])

"""Plates, shells and laminates against frequencies found without finite elements."""

from __future__ import annotations

import numpy as np
import pytest
from verification.walls import REFERENCES, Array, Reference, held, plate, rectangle, sheet

from belltone.mesh.discretisation import Discretisation
from belltone.modes.solve import request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.system.assembly import assemble
from belltone.system.lanczos import lowest_modes

# Divisions for each order, and the tolerance of order one, which is that of its wavelengths: an
# eighth of a wave to an element or so.
DIVISIONS = {1: 16, 2: 6, 4: 3, 6: 2}
COARSE = 0.06


def frequencies(text: str, divisions: int, order: int, count: int) -> Array:
    """Flexible frequencies (Hz) on one mesh."""
    system = assemble(evaluate(Sheet.from_text(text)), Discretisation(divisions, order))
    pairs = lowest_modes(system.stiffness, system.mass, system.rigid, count)
    assert pairs.complete
    # From the strains, as the program does: eigenvalues of thin walls drown in rounding.
    vectors = pairs.vectors[:, :count]
    (energies,) = system.strain_energies(system.node_motions(vectors))
    energy = energies.sum(axis=1)
    kinetic = np.einsum("im,im->m", vectors, np.asarray(system.mass @ vectors))
    return np.asarray(np.sqrt(2 * energy / kinetic) / (2 * np.pi))


@pytest.mark.parametrize("order", [1, 2, 4, 6])
@pytest.mark.parametrize("case", REFERENCES, ids=lambda case: case.name)
def test_reference_frequencies(case: Reference, order: int) -> None:
    found = frequencies(case.text, DIVISIONS[order], order, len(case.frequencies))
    tolerance = {1: COARSE, 2: max(0.02, case.tolerance)}.get(order, case.tolerance)
    assert found == pytest.approx(case.frequencies, rel=tolerance)


@pytest.mark.parametrize("case", REFERENCES[:13:3], ids=lambda case: case.name)
def test_the_program_chooses_well_by_itself(case: Reference) -> None:
    design = evaluate(Sheet.from_text(case.text))
    modes = solve_modes(design, request_for(design))
    count = len(case.frequencies)
    assert modes.complete
    assert modes.flexible[:count] == pytest.approx(case.frequencies, rel=case.tolerance)
    assert np.all(modes.errors <= design.accuracy)


@pytest.mark.parametrize("order", [1, 2, 4, 6])
def test_no_locking_down_to_a_ten_thousandth(order: int) -> None:
    # A thin cantilever plate's frequencies are proportional to its thickness (thin-plate values:
    # 3.4710 and 8.5066 sqrt(D / rho h) / a^2).
    found = []
    for thickness in (1e-2, 1e-3, 1e-4):
        text = sheet(plate(rectangle(1, 1), thickness), held("clamped", "west"), 4)
        divisions = {1: 10, 2: 4}.get(order, 1)
        found.append(frequencies(text, divisions, order, 2) / thickness)
    factor = np.sqrt(200e9 / (12 * (1 - 0.09) * 8000)) / (2 * np.pi)
    thin = factor * np.array([3.4710, 8.5066])
    assert found[1] == pytest.approx(thin, rel=0.004)
    assert found[2] == pytest.approx(thin, rel=0.004)
    assert found[0] == pytest.approx(thin, rel=0.01)

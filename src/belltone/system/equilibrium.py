"""The loaded state of a component: small deflection in one step, large by following the load."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.preload import PreloadValue
from belltone.progress import Progress
from belltone.system.assembly import Assembly, symmetric
from belltone.system.balance import (
    Equilibrium,
    Grounded,
    UnbalancedError,
    stress_forces,
    with_swings,
)
from belltone.system.factor import Factor
from belltone.system.load_path import LoadPath
from belltone.system.loads import Loads

__all__ = ["equilibrium"]

Array = NDArray[np.float64]
Matrix = scipy.sparse.csc_matrix


def equilibrium(
    assembly: Assembly,
    preload: PreloadValue,
    progress: Progress,
    steps: int | None = None,
    begun: Array | None = None,
) -> Equilibrium:
    """The loaded state of an assembly; raises `BuckledError` or `UnbalancedError`.

    A large deflection is followed in ``steps`` of equal size, or in as many as it needs. Where the
    state of the same parts is known from other elements or a similar design, ``begun`` (motions at
    own nodes as `Equilibrium.onward` tells them), it is begun from that, and followed only where no
    balance is found close by.
    """
    amiss = assembly.contradicting_moves()
    if amiss is not None:
        raise UnbalancedError(
            f"“{amiss[0]}” and “{amiss[1]}” are held at, or set to, displacements that cannot both "
            "be: what they share would have to be in two places; take one of them away or make "
            "them agree"
        )
    if preload.large:
        path = LoadPath(assembly, preload, progress, steps)
        path.require_balance()
        found = None if begun is None else path.from_state(begun)
        return path.followed() if found is None else found
    return _small(assembly, preload)


def _small(assembly: Assembly, preload: PreloadValue) -> Equilibrium:
    system = assembly.system()
    assert system.unreduced is not None
    loads = Loads(assembly, preload)
    scale = preload.scale
    pushed = loads.at(system.bodies, None)
    initial = loads.initial(system.bodies, scale)
    forces = scale * pushed.forces
    inner = np.zeros(assembly.size)
    if any(heat or pull for heat, pull in initial):
        inner = stress_forces(assembly, system.bodies, None, initial, at_rest=True)[0]
    free = assembly.free(None, scale) if preload.moves else system.free
    basis = free.basis
    right = basis.T @ (forces - inner - system.unreduced @ free.offset)
    whole = Grounded(system, forces - inner)
    factor = Factor(whole.part(system.stiffness))
    solved = whole.solved(factor, right)
    # What was left out of a free component moved it as one; its middle stays where it is.
    solved -= system.rigid @ (system.rigid.T @ np.asarray(system.mass @ solved))
    motions = np.asarray(basis @ solved) + free.offset
    _, stiffness = stress_forces(assembly, system.bodies, motions, initial)
    if pushed.stiffness is not None:
        stiffness = stiffness + scale * pushed.stiffness
    residual = forces - inner - system.unreduced @ motions
    stiffness = stiffness + assembly.carried(residual)
    reduced = symmetric(system.free.basis.T @ stiffness @ system.free.basis)
    loaded = replace(
        system,
        stiffness=scipy.sparse.csc_matrix(system.stiffness + reduced),
        stress_stiffness=reduced,
    )
    return Equilibrium(
        with_swings(loaded, preload),
        system.stiffness,
        reduced,
        motions.reshape(-1, 6),
        None,
        forces,
        residual,
        tuple(initial),
        factor,
        held=not system.rigid.shape[1],
    )

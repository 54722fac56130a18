"""External loads of a preload at any pose, and the stiffness they have themselves.

A load that changes as the component moves has a stiffness: minus the derivative of its forces,
its even part. Forces and pressures in a fixed direction have none.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.preload import PreloadValue, PressureValue, SpinValue
from belltone.elements.directors import (
    DirectorForm,
    Stressed,
    cross_matrices,
    torques,
    turning_stiffness,
)
from belltone.system.assembly import Assembly
from belltone.system.bodies import Body
from belltone.system.constraints import site_rows
from belltone.system.kinds import kind_of
from belltone.system.pose import Pose

__all__ = ["Loads", "Pushed", "gyroscopic"]

Array = NDArray[np.float64]
Matrix = scipy.sparse.csc_matrix


@dataclass(frozen=True)
class Pushed:
    """Forces on all unknowns, and the stiffness that goes with them (``None``: there is none)."""

    forces: Array
    stiffness: Matrix | None


class Loads:
    """The loads of one preload on one mesh, at their full size before the scale."""

    def __init__(self, assembly: Assembly, preload: PreloadValue) -> None:
        self._assembly, self._preload = assembly, preload
        self._steady = np.zeros(assembly.size)
        for force in preload.forces:
            site = assembly.by_name[force.place.part].site(force.place)
            rows = site_rows(site, np.eye(6), force.own, assembly.size)
            wrench = np.concatenate([force.force, force.moment])
            self._steady += rows.T @ np.outer(site.shares, wrench).ravel()
        pressed = [(pressure, _pressed(assembly, pressure)) for pressure in preload.pressures]
        self._following = [pair for pair in pressed if pair[0].follows]
        for pressure, (body, values) in pressed:
            if not pressure.follows:
                self._steady += self._on(body, body.elements.pushed(values)).forces

    def initial(self, bodies: Sequence[Body], scale: float) -> list[tuple[float, float]]:
        """Rise of temperature (K) and pull (N) of each body."""
        warmths, pulls = self._preload.warmths, self._preload.pulls
        return [
            (scale * warmths.get(body.part.name, 0.0), scale * pulls.get(body.part.name, 0.0))
            for body in bodies
        ]

    def at(self, bodies: Sequence[Body], pose: Pose | None) -> Pushed:
        """Forces and stiffness with the bodies at a pose, at the full load."""
        forces, stiffness = self._steady.copy(), scipy.sparse.csc_matrix((self._assembly.size,) * 2)
        changing = False
        for _, (body, values) in self._following:
            now = next(own for own in bodies if own.part.name == body.part.name)
            pushed = self._on(now, now.elements.pushed(values))
            assert pushed.stiffness is not None
            forces, stiffness = forces + pushed.forces, stiffness + pushed.stiffness
            changing = True
        if np.any(self._preload.acceleration) or self._preload.turning:
            pushed = self._inertial(bodies, pose)
            assert pushed.stiffness is not None
            forces, stiffness = forces + pushed.forces, stiffness + pushed.stiffness
            changing = True
        return Pushed(forces, stiffness if changing else None)

    def _on(self, body: Body, stressed: Stressed) -> Pushed:
        """Forces and stiffness of the elements of one body on all unknowns."""
        forces, blocks = [], []
        for other in self._assembly.bodies:
            count, nodes = other.mesh.connectivity.shape
            own = other.part.name == body.part.name
            forces.append(stressed.forces if own else np.zeros((count, 6 * nodes)))
            blocks.append(stressed.stiffness if own else np.zeros((count, 6 * nodes, 6 * nodes)))
        return Pushed(self._assembly.gathered(forces), self._assembly.scattered(blocks))

    def _inertial(self, bodies: Sequence[Body], pose: Pose | None) -> Pushed:
        """Weight and spin of the parts and of what hangs on them."""
        pairs = [
            _inertial(
                body.elements.inertia(),
                body.elements.positions,
                body.elements.directors,
                self._preload,
            )
            for body in bodies
        ]
        assembly = self._assembly
        forces = assembly.gathered([own.forces for own in pairs])
        stiffness = assembly.scattered([own.stiffness for own in pairs])
        for lump in assembly.lumps:
            own = _inertial(lump.form, lump.positions(pose), lump.directors(pose), self._preload)
            forces = forces + lump.rows(assembly.size, pose).T @ own.forces.ravel()
            stiffness = stiffness + lump.spread(own.stiffness, assembly.size, pose)
        return Pushed(forces, stiffness)


def _inertial(
    form: DirectorForm, positions: Array, directors: Array, preload: PreloadValue
) -> Stressed:
    """Forces and stiffness of weight and spin on carriers of mass."""
    forces, moments = form.pulled(preload.acceleration, directors)
    nodes = forces.shape[1]
    spin = preload.spin
    blocks = np.zeros((len(forces), nodes, 6, nodes, 6))
    at = np.arange(nodes)
    blocks[:, at, 3:, at, 3:] -= turning_stiffness(moments).swapaxes(0, 1)
    stiffness = blocks.reshape(len(forces), 6 * nodes, 6 * nodes)
    if spin is not None and spin.speed:
        turning = centrifugal(form, spin)
        out, around = turning.gradient(positions - spin.through, directors)
        forces, moments = forces - out, moments - around
        stiffness = stiffness + turning.hessian(directors, around)
    whole = np.concatenate([forces, torques(moments)], axis=-1)
    return Stressed(whole.reshape(len(forces), 6 * nodes), stiffness)


def centrifugal(form: DirectorForm, spin: SpinValue) -> DirectorForm:
    """The potential of the centrifugal forces on carriers of mass."""
    scaled = form.scaled(-(spin.speed**2))
    return DirectorForm(scaled.uu, scaled.ud, scaled.dd, spin.across)


def gyroscopic(
    assembly: Assembly, bodies: Sequence[Body], pose: Pose | None, axis: Array
) -> Matrix:
    """Mass times ``axis`` crossed with velocities, on all unknowns: a skew matrix."""
    skew = cross_matrices(axis)

    def crossed(form: DirectorForm) -> DirectorForm:
        return DirectorForm(form.uu, form.ud, form.dd, skew)

    total = assembly.scattered(
        [crossed(body.elements.inertia()).hessian(body.elements.directors) for body in bodies]
    )
    for lump in assembly.lumps:
        own = crossed(lump.form).hessian(lump.directors(pose))
        total = total + lump.spread(own, assembly.size, pose)
    return total


def _pressed(assembly: Assembly, pressure: PressureValue) -> tuple[Body, Array]:
    """The body a pressure acts on, and the pressure (Pa) at its integration points."""
    body = assembly.by_name[pressure.place.part]
    values = pressure.at(body.elements.points())
    chosen = kind_of(body.part).loaded_at(body.mesh, pressure.place)
    if chosen is not None:
        values = np.where(chosen[:, None], values, 0.0)
    return body, values

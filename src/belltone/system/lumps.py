"""Masses hung on sites: rigid bodies and masses spread along, as nodes with directors."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.values import MassValue
from belltone.elements.directors import DirectorForm
from belltone.mesh.sites import SiteNodes
from belltone.system.constraints import motions_of, site_rows, turns_of
from belltone.system.pose import Pose

__all__ = ["Lump", "hung_mass", "lump_of"]

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Lump:
    """Stations that carry mass; the directors of each are the sheet's axes turned with it."""

    stations: SiteNodes
    form: DirectorForm

    def directors(self, pose: Pose | None) -> Array:
        """Directors ``(stations, 1, 3, 3)``."""
        if pose is None:
            return np.broadcast_to(np.eye(3), (len(self.stations), 1, 3, 3))
        return turns_of(self.stations, pose).swapaxes(1, 2)[:, None]

    def positions(self, pose: Pose | None) -> Array:
        """Positions ``(stations, 1, 3)`` (m)."""
        at = self.stations.positions
        if pose is not None:
            at = at + motions_of(self.stations, pose)[:, :3]
        return at[:, None]

    def spread(self, blocks: Array, size: int, pose: Pose | None) -> scipy.sparse.csc_matrix:
        """Matrices ``(stations, 6, 6)`` on all unknowns."""
        rows = self.rows(size, pose)
        own = scipy.sparse.block_diag(list(blocks), format="csr")
        return scipy.sparse.csc_matrix(rows.T @ own @ rows)

    def rows(self, size: int, pose: Pose | None) -> scipy.sparse.csr_matrix:
        """Motions of the stations (6 rows each) on all unknowns."""
        rows = site_rows(self.stations, np.eye(6), False, size, pose)
        return scipy.sparse.csr_matrix(rows[:, :size])

    def inertia(self, pose: Pose | None) -> Array:
        """Mass matrices ``(stations, 6, 6)``."""
        return self.form.hessian(self.directors(pose))


def hung_mass(lumps: Sequence[Lump], pose: Pose | None, size: int) -> scipy.sparse.csc_matrix:
    """Mass of all that hangs on a design, on all unknowns."""
    none = scipy.sparse.csc_matrix((size, size))
    return sum((lump.spread(lump.inertia(pose), size, pose) for lump in lumps), none)


def lump_of(hung: MassValue, site: SiteNodes) -> Lump:
    """What hangs on a site: on its first station with an arm, or on every one its share."""
    if hung.even:
        uu = (hung.mass * site.shares)[:, None, None]
        none = np.zeros((len(site), 1, 1, 3))
        return Lump(site, DirectorForm(uu, none, np.zeros((*none.shape, 3))))
    first = site.some(np.arange(len(site)) == 0)
    arm = site.centre - first.positions[0] + np.array(hung.offset)
    inertia = np.diag(hung.inertia)
    second = 0.5 * np.trace(inertia) * np.eye(3) - inertia + hung.mass * np.outer(arm, arm)
    return Lump(
        first,
        DirectorForm(
            np.full((1, 1, 1), hung.mass),
            (hung.mass * arm)[None, None, None],
            second[None, None, None],
        ),
    )

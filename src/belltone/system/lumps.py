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
from belltone.system.constraints import site_rows
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
        turned = pose.turned_at(self.stations.nodes, self.stations.weights)
        return turned.swapaxes(1, 2)[:, None]

    def positions(self, pose: Pose | None) -> Array:
        """Positions ``(stations, 1, 3)`` (m)."""
        at = self.stations.positions
        if pose is not None:
            at = at + pose.displacements_at(self.stations.nodes, self.stations.weights)
        return at[:, None]

    def spread(self, blocks: Array, size: int) -> scipy.sparse.csc_matrix:
        """Matrices ``(stations, 6, 6)`` on all unknowns."""
        return _assembled([(self.stations, blocks)], size)

    def rows(self, size: int) -> scipy.sparse.csr_matrix:
        """Motions of the stations (6 rows each) on all unknowns."""
        return site_rows(self.stations, np.eye(6), False, size)

    def inertia(self, pose: Pose | None) -> Array:
        """Mass matrices ``(stations, 6, 6)``."""
        return self.form.hessian(self.directors(pose))


def hung_mass(lumps: Sequence[Lump], pose: Pose | None, size: int) -> scipy.sparse.csc_matrix:
    """Mass of all that hangs on a design, on all unknowns."""
    return _assembled([(lump.stations, lump.inertia(pose)) for lump in lumps], size)


def _assembled(each: Sequence[tuple[SiteNodes, Array]], size: int) -> scipy.sparse.csc_matrix:
    """Matrices ``(stations, 6, 6)`` of the weighted means of nodes, on all unknowns."""
    values, rows, columns = [np.empty(0)], [np.empty(0, np.intp)], [np.empty(0, np.intp)]
    for site, blocks in each:
        shares = site.weights[:, :, None] * site.weights[:, None, :]
        entries = shares[..., None, None] * blocks[:, None, None]
        degrees = 6 * site.nodes[:, :, None] + np.arange(6)
        values.append(entries.ravel())
        rows.append(np.broadcast_to(degrees[:, :, None, :, None], entries.shape).ravel())
        columns.append(np.broadcast_to(degrees[:, None, :, None, :], entries.shape).ravel())
    data = np.concatenate(values)
    some = data != 0
    places = np.concatenate(rows)[some], np.concatenate(columns)[some]
    return scipy.sparse.csc_matrix((data[some], places), shape=(size, size))


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

"""What surfaces of revolution do: waves round the axis, half-waves along it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from belltone.modes.grids import Grid, counted, lobes
from belltone.vectors import cross

__all__ = ["about", "strongest", "wheel"]

Array = NDArray[np.float64]


def wheel(places: Array, origin: Array, axis: Array) -> tuple[Array, Array, Array]:
    """Places about an axis laid out as a wheel, the axis' origin, and a frame with it as z.

    Along the meridian they go by their place on its longest way; the hub is a pole, where one is.
    """
    side = cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    side /= np.linalg.norm(side)
    frame = np.column_stack([side, cross(axis, side), axis])
    own = (places - origin) @ frame
    radius, height = np.hypot(own[:, 0], own[:, 1]), own[:, 2]
    meridian = np.column_stack([radius, height])
    _, _, ways = np.linalg.svd(meridian - meridian.mean(axis=0), full_matrices=False)
    share = (meridian - meridian.mean(axis=0)) @ ways[0]
    share = (share - share.min()) / max(float(np.ptp(share)), 1e-300)
    if radius[np.argmin(share)] > radius[np.argmax(share)]:
        share = 1 - share
    hub = 0.0 if radius.min() < 0.05 * radius.max() else 0.5
    angle = np.arctan2(own[:, 1], own[:, 0])
    wheel = (share + hub)[:, None] * np.column_stack([np.cos(angle), np.sin(angle)])
    return wheel, origin, frame


def about(
    places: Array, origin: Array, frame: Array, positions: Array, normals: Array, shapes: Array
) -> tuple[str, ...]:
    """Kinds by waves round the z of a frame (axes as columns); ``places`` are laid out as a wheel.

    ``positions`` and ``normals`` are where shapes ``(modes, places, 3)`` were read.
    """
    grid = Grid(places, around=True)
    own = (positions - origin) @ frame
    out = own[:, :2] / np.maximum(np.linalg.norm(own[:, :2], axis=1, keepdims=True), 1e-12)
    around = np.column_stack([-out[:, 1], out[:, 0], np.zeros(len(out))]) @ frame.T
    along = cross(normals, around)
    names: list[str] = []
    ways = np.stack([normals, along, around])
    fields = np.einsum("mpd,wpd->mwp", shapes, ways).reshape(-1, len(out))
    for parts in grid.read(fields).reshape(len(shapes), 3, *grid.form):
        waves, profiles = strongest(parts, grid.rings)
        size = np.sum(profiles**2, axis=1)
        most = int(np.argmax(size))
        along_it = lobes(profiles[most])
        if waves == 0 and most == 2:
            names.append(f"twist about the axis, {counted(along_it, 'half-wave')}")
        elif waves == 0 and most == 1:
            names.append(f"moving along the axis, {counted(along_it, 'half-wave')}")
        elif waves == 1:
            names.append(f"bending as a tube ({along_it}, 1)")
        else:
            names.append(f"breathing ({lobes(profiles[0])}, {waves})")
    return tuple(names)


def strongest(parts: Array, rings: Array) -> tuple[int, Array]:
    """The wave number with most motion in fields ``(k, rings, angles)``, and its profiles."""
    spectrum = np.fft.rfft(parts, axis=-1)
    power = np.einsum("krn,r->n", np.abs(spectrum) ** 2, np.maximum(rings, 1e-3 * rings.max()))
    power[1:] *= 2.0
    waves = int(np.argmax(power))
    chosen = spectrum[:, :, waves]
    # Turn each field's phase away; along the rings it changes by sign alone.
    angle = 0.5 * np.angle(np.sum(chosen**2, axis=1, keepdims=True))
    return waves, np.asarray(np.real(chosen * np.exp(-1j * angle)))

"""How a single member moves, in words: what strains, and how many half-waves or waves that makes.

The rules stand in ``docs/modes.md``.
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.modes.grids import counted, lobes
from belltone.modes.kinds import kind_names
from belltone.system.witness import LineWitness
from belltone.vectors import cross

__all__ = ["member_kinds"]

Array = NDArray[np.float64]

_FLAT: Final = 1e-6  # of the size; a path that leaves its plane by less is plane
_MINOR: Final = 0.25  # a second share of the energy that is named
_TWIST: Final = 1  # places among the energies of members
_SPRINGS: Final = 4
_MOSTLY: Final = 0.5


def member_kinds(witness: LineWitness, shapes: Array, shares: Array) -> tuple[str, ...]:
    """Kinds of shapes ``(modes, points, 6)`` of a member, given its shares of energy."""
    plane = None if witness.member.path.straight else _plane_normal(witness.positions)
    if plane is None:
        names = kind_names(shares, witness.across(shapes))
        if not witness.member.path.straight:
            return names
        return tuple(
            _with_waves(name, witness, shape) for name, shape in zip(names, shapes, strict=True)
        )
    return tuple(
        _bent(witness, plane, shape, own) for shape, own in zip(shapes, shares, strict=True)
    )


def _plane_normal(places: Array) -> Array | None:
    """The normal of the plane a path lies in; ``None`` where it lies in none."""
    away = places - places.mean(axis=0)
    _, strengths, axes = np.linalg.svd(away, full_matrices=False)
    return axes[2] if strengths[2] < _FLAT * strengths[0] else None


def _with_waves(name: str, witness: LineWitness, shape: Array) -> str:
    """The kind of a straight member with the half-waves of what moves in it."""
    own = np.einsum("skd,sd->sk", witness.frames, shape[:, :3])
    turns = np.einsum("skd,sd->sk", witness.frames, shape[:, 3:])
    line = {
        "axial": own[:, 0],
        "twist": turns[:, 0],
        "bending about y": own[:, 2],
        "bending about z": own[:, 1],
    }.get(name.split(" with ")[0])
    if line is None or not np.abs(line).max() > 0:
        return name
    return f"{name}, {counted(lobes(line), 'half-wave')}"


def _bent(witness: LineWitness, normal: Array, shape: Array, shares: Array) -> str:
    """The kind of a member bent in one plane: an arch, a hook, a ring."""
    tangents = witness.frames[:, 0]
    inward = cross(normal, tangents)
    moved = shape[:, :3]
    turns = np.einsum("sd,sd->s", tangents, shape[:, 3:])
    out, across = moved @ normal, np.einsum("sd,sd->s", inward, moved)
    whole = float(witness.masses @ np.sum(moved**2, axis=1))
    outside = float(witness.masses @ out**2)
    if shares[_SPRINGS] >= 1 - _MINOR:
        return "moving on its springs"
    closed = witness.member.path.closed
    twists = shares[_TWIST] > _MOSTLY and not outside > _MOSTLY * whole
    if twists:
        name, line = "twist", turns
    elif outside > _MOSTLY * whole:
        name, line = "bending out of its plane", out
    else:
        name, line = "bending in its plane", across
    if not closed:
        return f"{name}, {counted(lobes(line), 'half-wave')}"
    waves = _waves_round(line)
    if waves == 0 and name == "bending in its plane":
        return "breathing, all round alike"
    return f"{name}, {counted(waves, 'wave')} round"


def _waves_round(line: Array) -> int:
    """The wave number with most motion along a closed line whose ends are one point."""
    power = np.abs(np.fft.rfft(line[:-1])) ** 2
    power[1:] *= 2.0
    return int(np.argmax(power))

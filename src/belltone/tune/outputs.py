"""What is told of a design beside its frequencies: mass, margins, and what its preload does."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from belltone.design.values import Design
from belltone.errors import UserError
from belltone.modes.base_state import BaseState, Largest
from belltone.modes.modeset import ModeSet, Spectrum
from belltone.tune.bands import least_separation

__all__ = ["OUTPUTS", "Column", "OutputError", "columns_of", "needs_solution", "usual"]

Value = float | str | None
"""A number in the column's unit, words, or nothing where there is nothing to tell."""


class OutputError(UserError):
    """Something asked for that no design tells."""


@dataclass(frozen=True)
class Column:
    """One column: its name, the unit of its numbers, and how it is read off a design.

    ``read`` takes the modes (what is solved for, or a model) and the design.
    """

    name: str
    unit: str
    read: Callable[[Spectrum, Design], Value]


def _state(found: Spectrum) -> BaseState | None:
    return found.base if isinstance(found, ModeSet) else None


def _mass(found: Spectrum, _design: Design) -> Value:
    return found.mass


def least_margin(found: Spectrum, design: Design) -> float | None:
    """How far the mode nearest to any band stands from it, as `least_separation`."""
    return least_separation(found, design.bands)


def _margin(found: Spectrum, design: Design) -> Value:
    share = least_margin(found, design)
    return None if share is None or not np.isfinite(share) else 100 * share


def _buckling(found: Spectrum, _design: Design) -> Value:
    state = _state(found)
    return state.factors[0] if state is not None and state.factors else None


def _most(found: Spectrum, what: Sequence[str]) -> Largest | None:
    """The largest of some things told of a preloaded state."""
    state = _state(found)
    if state is None:
        return None
    chosen = [own for own in state.largest if own.what in what]
    return max(chosen, key=lambda own: abs(own.value), default=None)


def _largest(what: Sequence[str], scale: float) -> Callable[[Spectrum, Design], Value]:
    def read(found: Spectrum, _design: Design) -> Value:
        most = _most(found, what)
        return None if most is None else most.value / scale

    return read


def _where(what: Sequence[str]) -> Callable[[Spectrum, Design], Value]:
    def read(found: Spectrum, _design: Design) -> Value:
        most = _most(found, what)
        if most is None:
            return None
        place = ", ".join(f"{1e3 * each:.4g}" for each in most.at)
        return f"{most.part} at {place} mm"

    return read


_MISES: Final = (
    "von Mises stress, inner face",
    "von Mises stress, outer face",
    "equivalent stress, inner ply",
    "equivalent stress, outer ply",
    "von Mises stress, at most",
)


def _single(name: str, unit: str, read: Callable[[Spectrum, Design], Value]) -> tuple[Column, ...]:
    return (Column(name, unit, read),)


def _placed(name: str, unit: str, what: Sequence[str], scale: float) -> tuple[Column, ...]:
    largest = Column(f"largest {name}", unit, _largest(what, scale))
    return (largest, Column(f"where {name}", "", _where(what)))


def _reactions(found: Spectrum) -> tuple[Column, ...]:
    state = _state(found)
    names = () if state is None else tuple(own.name for own in state.reactions)

    def reader(name: str) -> Callable[[Spectrum, Design], Value]:
        def read(at: Spectrum, _design: Design) -> Value:
            known = _state(at)
            own = [] if known is None else [each for each in known.reactions if each.name == name]
            return float(np.linalg.norm(own[0].force)) if own else None

        return read

    return tuple(Column(f"reaction of {name}", "N", reader(name)) for name in names)


def _effective(_found: Spectrum) -> tuple[Column, ...]:
    def reader(axis: int) -> Callable[[Spectrum, Design], Value]:
        def read(at: Spectrum, _design: Design) -> Value:
            if not isinstance(at, ModeSet):
                return None
            return float(at.effective[at.rigid_count :, axis].sum())

        return read

    return tuple(
        Column(f"effective mass {axis}, modes found", "kg", reader(number))
        for number, axis in enumerate("xyz")
    )


def _kinds(found: Spectrum) -> tuple[Column, ...]:
    def reader(place: int) -> Callable[[Spectrum, Design], Value]:
        def read(at: Spectrum, _design: Design) -> Value:
            kinds = at.kinds[at.rigid_count :]
            return kinds[place] if place < len(kinds) else None

        return read

    count = len(found.flexible)
    return tuple(Column(f"kind of mode {at + 1}", "", reader(at)) for at in range(count))


OUTPUTS: Final[dict[str, Callable[[Spectrum], tuple[Column, ...]]]] = {
    "mass": lambda _: _single("mass", "kg", _mass),
    "margin": lambda _: _single("least margin", "%", _margin),
    "buckling": lambda _: _single("buckling factor", "", _buckling),
    "displacement": lambda _: _placed("displacement", "mm", ("displacement",), 1e-3),
    "stress": lambda _: _placed("von Mises stress", "MPa", _MISES, 1e6),
    "axial stress": lambda _: _placed("axial stress", "MPa", ("axial stress",), 1e6),
    "shear stress": lambda _: _placed("shear stress", "MPa", ("shear stress, at most",), 1e6),
    "reactions": _reactions,
    "effective mass": _effective,
    "kinds": _kinds,
}
"""What may be asked for, each the columns it makes of the first design that has an answer."""

_OF_A_STATE: Final = ("buckling", "displacement", "stress", "axial stress", "shear stress")
_OF_A_SOLUTION: Final = (*_OF_A_STATE, "reactions", "effective mass")


def chosen(names: Sequence[str]) -> tuple[str, ...]:
    """The outputs of some names, each once; raises `OutputError`."""
    for name in names:
        if name not in OUTPUTS:
            raise OutputError(f"“{name}” is not an output; there is {', '.join(OUTPUTS)}")
    return tuple(dict.fromkeys(names))


def needs_solution(names: Sequence[str]) -> bool:
    """Whether what is asked for is told by whole solutions alone, not by a model."""
    return any(name in _OF_A_SOLUTION for name in chosen(names))


def usual(design: Design, modelled: bool) -> tuple[str, ...]:
    """What is told where nothing is asked for: what costs nothing beside the frequencies."""
    margin = ("margin",) if design.bands else ()
    loaded = ("buckling", "displacement", "stress") if design.preload is not None else ()
    return ("mass", *margin, *(() if modelled else loaded))


def columns_of(names: Sequence[str], first: Spectrum) -> tuple[Column, ...]:
    """The columns of outputs, as one design with an answer has them; raises `OutputError`."""
    return tuple(column for name in chosen(names) for column in OUTPUTS[name](first))

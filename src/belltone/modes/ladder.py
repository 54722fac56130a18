"""Which discretisations are tried, coarse to fine, and how large each is."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Final

from belltone.design.parts import MeshValue
from belltone.design.values import Design
from belltone.mesh.discretisation import MAX_ORDER, Discretisation
from belltone.modes.errors import NoModesError
from belltone.modes.level import planned
from belltone.progress import Progress
from belltone.sheet.units import format_number
from belltone.system.assembly import bodies_of
from belltone.system.kinds import face_cuts

__all__ = ["forecast", "ladder", "most_unknowns", "shortened", "usual_last"]

_FIRST_ORDER: Final = 4
_MOST_UNKNOWNS: Final = 30_000  # a member that needs more is asked for nonsense
_MOST_FRAME_UNKNOWNS: Final = 150_000
_MOST_WALL_UNKNOWNS: Final = 250_000
_WALL_ORDERS: Final = (3, 5)
_FINER_WALL_ORDERS: Final = (4, 6)
_FACE_LEVELS: Final = ((1, 3), (1, 4), (1, 5), (2, 4))
"""Of received meshes: as they came, and every edge cut in two, three and four."""
_MOST_FACE_UNKNOWNS: Final = 60_000  # finer cuts of a mesh that came coarse are not worth more
_GROWTH: Final = 1.25  # power of the unknowns that time grows with, measured
_LONG: Final = 10.0  # s; what takes longer is told before


def ladder(
    design: Design, finer: Callable[[Discretisation], Discretisation]
) -> Iterator[Discretisation]:
    """Discretisations from coarse to fine, up to what is worth trying.

    ``finer`` is asked, for the last one tried, which has smaller elements where those are wanted.
    """
    if design.has_walls:
        yield from _wall_ladder(design, finer)
        return
    stretches = sum(len(each.mesh.connectivity) for each in bodies_of(design, Discretisation(1, 1)))
    divisions = 2 if stretches == 1 else 1
    while 6 * stretches * divisions * MAX_ORDER <= _most_in_members(design):
        for order in range(_FIRST_ORDER, MAX_ORDER + 1):
            yield Discretisation(divisions, order)
        divisions *= 2


def _wall_ladder(
    design: Design, finer: Callable[[Discretisation], Discretisation]
) -> Iterator[Discretisation]:
    plans = planned(design, Discretisation(1, 1)).plans
    first, last = _WALL_ORDERS
    size = _Sizes(design, Discretisation(1, 1, plans))
    if design.has_received:
        for number, (divisions, order) in enumerate(_FACE_LEVELS):
            level = Discretisation(divisions, order, plans)
            compared = size.unknowns(replace(level, order=order + 1))
            if number and compared > _MOST_FACE_UNKNOWNS:
                return
            if compared > _MOST_WALL_UNKNOWNS:
                raise NoModesError(
                    f"the received mesh is too large: to tell its own error it is solved once as "
                    f"it is and once cut finer, with some {compared} unknowns, where at most "
                    f"{_MOST_WALL_UNKNOWNS} are taken on; send a coarser mesh, of at most about "
                    f"{_MOST_WALL_UNKNOWNS // 24} nodes"
                )
            yield level
        return
    level = Discretisation(1, first, plans)
    while size.unknowns(replace(level, order=first)) <= _MOST_WALL_UNKNOWNS:
        for order in range(first, last + 2):
            if size.unknowns(replace(level, order=order)) <= _MOST_WALL_UNKNOWNS:
                level = replace(level, order=order)
                yield level
        level = finer(level)
        size = _Sizes(design, replace(level, divisions=1, order=1))
        # The lowest order on finer elements brings nothing the highest on coarse ones has not.
        first, last = _FINER_WALL_ORDERS


def usual_last(level: Discretisation) -> bool:
    """Whether the next order on the elements of walls is only worth trying if it brings the end."""
    divided = level.divisions > 1 or any(plan.times for plan in level.plans)
    return level.order == (_FINER_WALL_ORDERS if divided else _WALL_ORDERS)[1]


class _Sizes:
    """How large a design is at any discretisation, roughly, without meshing it again."""

    def __init__(self, design: Design, planned: Discretisation) -> None:
        bodies = bodies_of(design, planned)
        received = [isinstance(body.part, MeshValue) for body in bodies]
        # A mesh at order one has a known number of elements, which all orders share.
        self._elements = sum(
            len(body.mesh.connectivity)
            for body, own in zip(bodies, received, strict=True)
            if not own
        )
        self._nodes = sum(
            len(body.mesh.coordinates) for body, own in zip(bodies, received, strict=True) if own
        )

    def unknowns(self, level: Discretisation) -> int:
        """About how many unknowns there are."""
        walls = self._elements * (level.divisions * level.order) ** 2
        return 6 * (walls + self._nodes * face_cuts(level) ** 2)


def most_unknowns(design: Design) -> int:
    """Beyond how many unknowns nothing is tried."""
    return _MOST_WALL_UNKNOWNS if design.has_walls else _most_in_members(design)


def _most_in_members(design: Design) -> int:
    return _MOST_UNKNOWNS if len(design.solid_parts) == 1 else _MOST_FRAME_UNKNOWNS


def forecast(step: int, known: int, ahead: float, seconds: float, progress: Progress) -> None:
    """Say which look at a design comes next, and how long it will take by the one before."""
    if not known:
        progress.report(step, 0, "first look")
        return
    expected = seconds * (ahead / known) ** _GROWTH
    size = f"{shortened(ahead)} unknowns"
    after = f", about {shortened(expected)} s" if expected >= 1 else ""
    progress.report(step, 0, f"look {step + 1}{after}: {size}")
    if expected > _LONG:
        progress.announce(
            f"a finer mesh of some {size} is solved next, in about "
            f"{shortened(expected)} s; a looser accuracy or fewer modes would need less"
        )


def shortened(value: float) -> str:
    """One or two digits, which is all a forecast is worth."""
    return format_number(float(f"{value:.2g}"))

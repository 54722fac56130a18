"""A design at one discretisation: its matrices, its loaded state, and their factors."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation
from belltone.modes.errors import NoModesError
from belltone.modes.loaded import checked, loaded
from belltone.modes.request import ModeRequest
from belltone.progress import Progress
from belltone.sheet.units import format_number
from belltone.system.assembly import Assembly, System
from belltone.system.balance import Equilibrium
from belltone.system.buckling import Buckling, buckling
from belltone.system.division import with_plans
from belltone.system.factor import Factor, SingularShiftError
from belltone.system.kinds import kind_of
from belltone.system.lanczos import TooManyModesError, free_shift, shifted_factor
from belltone.system.pattern import Structure
from belltone.system.products import Symmetric
from belltone.system.witness import Witness

__all__ = ["MOST_MODES", "Level", "planned", "told_in_words"]

Array = NDArray[np.float64]

MOST_MODES = 500  # found at once
_FACTORS = 4  # of buckling


def planned(design: Design, discretisation: Discretisation) -> Discretisation:
    """The discretisation with a plan for every wall; raises `NoModesError` where one has none."""
    try:
        return with_plans(design, discretisation)
    except ValueError as error:
        raise NoModesError(str(error)) from error


class Level:
    """One design at one discretisation; factors are made when they are first needed.

    ``structures`` are those of a neighbour's levels, and become this one's and its neighbours'. A
    large deflection is begun from that of a level ``near``, or from the node motions it was
    ``begun`` with elsewhere.
    """

    def __init__(
        self,
        design: Design,
        discretisation: Discretisation,
        progress: Progress,
        structures: dict[Discretisation, Structure] | None = None,
        near: Level | None = None,
        begun: Array | None = None,
    ) -> None:
        self.design, self.discretisation, self.progress = design, discretisation, progress
        self.structures = {} if structures is None else structures
        structure = self.structures.setdefault(discretisation, Structure())
        self.assembly = Assembly(design, discretisation, structure, progress)
        self.state: Equilibrium | None = None
        if design.preload is None:
            self.system: System = self.assembly.system()
        else:
            if begun is not None and len(begun) != self.assembly.size // 6:
                begun = None
            if begun is None and near is not None and near.state is not None:
                own = near.state.onward
                if own is not None:
                    begun = self.assembly.motions_from(near.assembly, own[None])[0]
            self.state = loaded(self.assembly, design.preload, progress, begun)
            self.system = self.state.system
        if self.system.stiffness.shape[0] <= len(self.system.rigid_names):
            raise NoModesError(
                "nothing is left that could vibrate: what is held, and what moves as one rigid "
                "body, leaves no motion free; let something go, or spread a mass evenly"
            )
        self._factor: tuple[Factor, float] | None = None

    @cached_property
    def witness(self) -> Witness:
        """Where its shapes are read."""
        bodies = self.system.bodies
        members = sum(body.part.is_solid and not body.part.is_wall for body in bodies)
        parts = [kind_of(body.part).witness(body, members) for body in bodies]
        return Witness(bodies, parts)

    @cached_property
    def mass(self) -> Symmetric:
        """The mass, to multiply with."""
        return Symmetric(self.system.mass)

    @cached_property
    def buckling(self) -> Buckling | None:
        """The lowest factors of the load at which it buckles, where the state was not followed."""
        state = self.state
        if state is None or state.pose is not None or not state.held:
            return None
        elastic = (state.elastic, state.stress_stiffness, state.elastic_factor)
        return buckling(*elastic, _FACTORS, self.progress)

    @property
    def whirls(self) -> bool:
        """Whether gyroscopic forces act."""
        spin = None if self.design.preload is None else self.design.preload.spin
        return spin is not None and spin.gyroscopic and bool(spin.speed)

    def factor(self, request: ModeRequest, lowest: float | None = None) -> tuple[Factor, float]:
        """Factors of the stiffness at a shift beside the modes asked for, and the shift.

        ``lowest`` is the lowest flexible eigenvalue (rad²/s²), as far as it is known.
        """
        if self._factor is None:
            self._factor = self._factored(request, lowest)
        return self._factor

    def _factored(self, request: ModeRequest, lowest: float | None) -> tuple[Factor, float]:
        system = self.system
        stable = None
        if self.state is not None:
            assert self.design.preload is not None
            stable = checked(self.state, self.design.preload, self.progress)
        if request.above is not None:
            shift = request.low if request.high is None else 0.5 * (request.low + request.high)
        elif stable is not None:
            return stable, 0.0
        elif system.rigid.shape[1] and lowest is not None and lowest > 0:
            shift = -lowest
        else:
            shift = free_shift(system.stiffness, system.mass, system.rigid)
        return shifted_factor(system.stiffness, system.mass, shift)


@contextmanager
def told_in_words(request: ModeRequest) -> Iterator[None]:
    """Say as `NoModesError` what the eigensolver and the factorisation cannot do."""
    try:
        yield
    except TooManyModesError as error:
        raise NoModesError(
            f"more than {MOST_MODES} modes lie up to {format_number(request.up_to or 0.0)} Hz: "
            f"{error.count} were counted on a coarse mesh; ask up to a lower frequency, or "
            "for a narrower window"
        ) from error
    except SingularShiftError as error:
        raise NoModesError(
            "the stiffness cannot be factorised: it holds numbers too far apart for a "
            "computer's sixteen digits. Is something far too thin for its length, or very "
            "soft beside something very stiff?"
        ) from error
    except MemoryError as error:
        raise NoModesError(
            "the memory of this machine is not enough for this; ask for a looser accuracy "
            "or fewer modes, or let fewer programs run beside"
        ) from error

"""Which textbook values fit a mode, and why none does."""

from __future__ import annotations

from belltone.design.parts import MemberValue, SurfaceValue
from belltone.design.values import Design
from belltone.geometry.shapes import Plate, Revolved
from belltone.hand.check import Found, HandCheck
from belltone.hand.members import member_checks
from belltone.hand.plates import plate_checks
from belltone.hand.rings import ring_checks
from belltone.hand.shells import shell_checks
from belltone.modes.modeset import ModeSet

__all__ = ["hand_checks"]


def hand_checks(design: Design, modes: ModeSet, index: int) -> tuple[tuple[HandCheck, ...], str]:
    """All textbook values for one mode, and why there are none where there are none."""
    if index < modes.rigid_count:
        return (), "a rigid motion has no frequency"
    found, why = _found(design, modes, index)
    computed = float(modes.frequencies[index])
    checks = tuple(
        HandCheck(formula, frequency, computed / frequency - 1, source, assumes)
        for formula, frequency, source, assumes in found
        if frequency > 0
    )
    return checks, "" if checks else why


def _found(design: Design, modes: ModeSet, index: int) -> tuple[list[Found], str]:
    solid = design.solid_parts
    if len(solid) != 1 or len(design.parts) != 1:
        return [], "several parts are joined"
    if modes.skipped:
        return [], "modes below those listed are not known"
    if any(modes.waves):
        return [], "what spins whirls"
    (part,) = solid
    if isinstance(part, MemberValue):
        if part.path.straight:
            return member_checks(design, modes, index)
        return ring_checks(design, modes, index)
    if isinstance(part, SurfaceValue) and isinstance(part.shape, Plate):
        return plate_checks(design, modes, index)
    if isinstance(part, SurfaceValue) and isinstance(part.shape, Revolved):
        return shell_checks(design, modes, index)
    return [], "no table knows such a shape"

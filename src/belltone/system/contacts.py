"""Which parts touch, which of them a joint speaks of, and which nearly do."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import Final

import numpy as np

from belltone.design.values import Design, JointValue
from belltone.mesh.discretisation import Discretisation
from belltone.progress import Progress
from belltone.system.assembly import bodies_of
from belltone.system.bodies import Body
from belltone.system.joints import Meeting, touching

__all__ = ["TOLERANCE", "Contact", "contacts"]

TOLERANCE: Final = 1e-3  # m; parts that come so near touch
_NEAR: Final = 10.0  # tolerances; what comes so near without touching is told
_LEVEL: Final = Discretisation(1, 3)


@dataclass(frozen=True)
class Contact:
    """Two parts that touch or nearly do.

    ``joints`` are those the sheet states between them: without one nothing is decided, and they
    are not joined. ``offered`` is what the sheet would be given on a yes. ``gap`` is the open
    distance (m), ``length`` how long the line they touch along is (m; 0 at a point), ``where`` the
    sites that touch.
    """

    first: str
    second: str
    gap: float
    length: float
    where: tuple[str, ...]
    joints: tuple[JointValue, ...]
    offered: str = "welded"

    @property
    def touches(self) -> bool:
        """Whether they touch; else they come near."""
        return self.gap <= TOLERANCE

    @property
    def decided(self) -> bool:
        """Whether the sheet says what is between them."""
        return bool(self.joints)

    @property
    def words(self) -> str:
        """How they meet, such as ``along 400 mm``."""
        if not self.touches:
            return f"{self.gap * 1e3:.3g} mm apart"
        return f"along {self.length * 1e3:.4g} mm" if self.length else "at a point"


def contacts(design: Design, progress: Progress | None = None) -> tuple[Contact, ...]:
    """Find every pair of parts that touches or nearly does, and every pair a joint is between.

    Pairs within one frame, a rib with its wall, and points in space are left out: those are joined
    by what they are.
    """
    progress = progress or Progress()
    bodies = [body for body in bodies_of(design, _LEVEL) if body.part.is_solid]
    stated: dict[frozenset[str], list[JointValue]] = {}
    implied: set[frozenset[str]] = set()
    for joint in design.joints:
        if joint.implied:
            implied.add(joint.parts)
        else:
            stated.setdefault(joint.parts, []).append(joint)
    found: list[Contact] = []
    for one, two in itertools.combinations(bodies, 2):
        progress.check()
        pair = frozenset((one.part.name, two.part.name))
        if pair in implied or _one_frame(one, two):
            continue
        joints = tuple(stated.get(pair, ()))
        met = touching(one, two, TOLERANCE) or touching(one, two, _NEAR * TOLERANCE)
        if met:
            found.append(_contact(one, two, met, joints))
        elif joints:
            names = (one.part.name, two.part.name)
            found.append(Contact(*names, float("inf"), 0.0, (), joints))
    return tuple(found)


def _one_frame(one: Body, two: Body) -> bool:
    return one.part.within is not None and one.part.within == two.part.within


def _contact(one: Body, two: Body, met: list[Meeting], joints: tuple[JointValue, ...]) -> Contact:
    length = sum(
        float(np.linalg.norm(np.ptp(meeting.stations.positions, axis=0)))
        for meeting in met
        if len(meeting.stations) > 1
    )
    return Contact(
        one.part.name,
        two.part.name,
        min(float(meeting.gaps.min()) for meeting in met),
        length,
        tuple(meeting.place.site for meeting in met if meeting.place is not None),
        joints,
    )

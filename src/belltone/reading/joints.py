"""Joints of a sheet worked out, and those that come with frames, ribs and linked points."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, PartValue
from belltone.design.place import Place
from belltone.design.values import JointSide, JointValue
from belltone.reading.numbers import Values
from belltone.reading.sites import SiteReader
from belltone.reading.springs import DIRECTIONS, direction_rows, read_springs
from belltone.sheet import part_models as models
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path
from belltone.sheet.model import Joint

__all__ = ["JointReader", "frame_joints", "frame_nodes"]

Array = NDArray[np.float64]

_NEAR: float = 20.0  # tolerances; what comes so near without meeting was probably meant to meet


@dataclass
class JointReader:
    """Works joints out; what is wrong goes to the values' findings."""

    sheet: Sheet
    values: Values
    sites: SiteReader

    def read(self, parts: Sequence[PartValue], places: Mapping[str, Place]) -> list[JointValue]:
        """The joints the sheet states, in order."""
        names = {part.name for part in parts}
        found: list[JointValue] = []
        for index, joint in enumerate(self.sheet.content.joints):
            value = self._joint(("joints", index), joint, names, places)
            if value is not None:
                self._against_others(("joints", index), value, found)
                found.append(value)
        return found

    def _against_others(self, path: Path, joint: JointValue, others: Sequence[JointValue]) -> None:
        """Say so where two joints decide of one pair what cannot both be."""
        for other in others:
            if other.parts != joint.parts:
                continue
            same = {joint.first, joint.second} == {other.first, other.second}
            none = [each for each in (joint, other) if each.how == "none"]
            whole = any(each.first.place is None and each.second.place is None for each in none)
            if (same and joint.how != other.how) or (len(none) == 1 and whole):
                self.values.add(
                    path,
                    f"the joint “{joint.name}” says “{joint.how}” and “{other.name}” says "
                    f"“{other.how}” of the same pair; keep one of the two",
                )
            elif same and joint.how != "spots":
                self.values.add(
                    path, f"the joints “{joint.name}” and “{other.name}” say the same; keep one"
                )

    def links(self, places: Mapping[str, Place]) -> list[JointValue]:
        """The rigid links of points in space."""
        found: list[JointValue] = []
        for name, point in self.sheet.content.sites.items():
            if point.position is None or point.linked_to is None or name not in places:
                continue
            target = self.sites.find(("sites", name, "linked_to"), point.linked_to, places)
            if target is None:
                continue
            if target.part == name:
                self.values.add(("sites", name, "linked_to"), "a point cannot be linked to itself")
                continue
            sides = JointSide(target.part, target), JointSide(name, places[name])
            title = f"rigid link of “{name}”"
            found.append(JointValue(title, *sides, "welded", np.inf, rigid=True, implied=True))
        return found

    def _joint(
        self, path: Path, joint: Joint, parts: set[str], places: Mapping[str, Place]
    ) -> JointValue | None:
        before = len(self.values.findings)
        sides = [
            self._side((*path, "between", at), name, parts, places)
            for at, name in enumerate(joint.between)
        ]
        tolerance = self.values.numbers.get((*path, "tolerance"), 1e-3)
        if not tolerance >= 0:
            self.values.add((*path, "tolerance"), "the tolerance must not be negative")
        first, second = sides
        if first is None or second is None:
            return None
        if first.part == second.part:
            self.values.add((*path, "between"), f"both sides are on the part “{first.part}”")
            return None
        name = joint.name or f"{first.words} – {second.words}"
        value = JointValue(name, first, second, joint.how, tolerance, own=joint.axes == "own")
        value = self._spots(path, joint, value, places)
        value = self._axis(path, joint, value)
        springs = read_springs(self.values, path)
        if joint.how == "sprung":
            if not springs:
                self.values.add(path, "a sprung joint needs “springs” or “turning_springs”")
            held = tuple(sorted({DIRECTIONS.index(way) for way in joint.hold}))
            value = replace(
                value,
                spring_directions=direction_rows(tuple(springs)),
                spring_stiffness=np.array(list(springs.values())),
                held_directions=direction_rows(held),
            )
        elif springs or joint.hold:
            self.values.add(
                path, f"springs belong to a joint that is “sprung”; this one is “{joint.how}”"
            )
        return value if len(self.values.findings) == before else None

    def _side(
        self, path: Path, name: str, parts: set[str], places: Mapping[str, Place]
    ) -> JointSide | None:
        if name in parts:
            place = places.get(name)
            return JointSide(name, place)
        if name in places:
            return JointSide(places[name].part, places[name])
        if name in self.sheet.content.parts:
            self.values.add(
                path, f"“{name}” is a frame; name one of its nodes or members, as “{name}.…”"
            )
            return None
        if self.sites.find(path, name, places) is None:
            return None
        return None

    def _spots(
        self, path: Path, joint: Joint, value: JointValue, places: Mapping[str, Place]
    ) -> JointValue:
        if joint.how != "spots":
            if joint.spots or joint.radius is not None:
                self.values.add(
                    path, f"spots belong to a joint of “spots”; this one is “{joint.how}”"
                )
            return value
        radius = self.values.positive((*path, "radius"), "the “radius” of spots")
        found: list[Place] = []
        for index, name in enumerate(joint.spots):
            here: Path = (*path, "spots", index)
            place = self.sites.find(here, name, places)
            if place is not None and place.part not in value.parts:
                self.values.add(here, f"“{name}” is on “{place.part}”, which is not joined here")
            elif place is not None and place.feature is not None:
                self.values.add(here, f"“{name}” is no point; a spot stands at a named point")
            elif place is not None:
                found.append(place)
        if not joint.spots:
            self.values.add((*path, "spots"), "name the points where the spots are")
        return replace(value, spots=tuple(found), radius=radius)

    def _axis(self, path: Path, joint: Joint, value: JointValue) -> JointValue:
        if joint.axis is None:
            return value
        if joint.how != "hinged":
            self.values.add((*path, "axis"), f"only a hinge has an axis; this is “{joint.how}”")
            return value
        axis = np.array(joint.axis, float) if isinstance(joint.axis, tuple) else None
        if axis is None:
            axis = np.eye(3)["xyz".index(str(joint.axis))]
        if not np.linalg.norm(axis) > 0:
            self.values.add((*path, "axis"), "an axis of length zero points nowhere")
            return value
        return replace(value, axis=axis)


@dataclass(frozen=True)
class _End:
    member: MemberValue
    feature: str
    position: Array
    hinged: bool

    @property
    def side(self) -> JointSide:
        place = self.member.place_of(self.feature)
        return JointSide(self.member.name, place)


def frame_nodes(name: str, frame: models.Frame, members: Sequence[MemberValue]) -> dict[str, Place]:
    """The sites of a frame's nodes: an end of one of the members there."""
    found: dict[str, Place] = {}
    by_name = {member.name: member for member in members}
    for key, entry in frame.members.items():
        member = by_name.get(f"{name}.{key}")
        if member is None:
            continue
        for node, feature in ((entry.start, "start"), (entry.stop, "end")):
            site = f"{name}.{node}"
            hinged = feature in entry.hinged
            if site not in found or not hinged:
                found.setdefault(site, replace(member.place_of(feature), site=site))
    return found


def frame_joints(
    name: str, frame: models.Frame, members: Sequence[MemberValue], tolerance: float
) -> tuple[list[JointValue], list[Finding]]:
    """What joins the members of a frame, and what comes near without meeting."""
    ends = [
        _End(member, feature, point, feature in frame.members[member.name[len(name) + 1 :]].hinged)
        for member in members
        for feature, point in (("start", member.start), ("end", member.stop))
    ]
    groups = _clusters(ends, tolerance)
    joints: list[JointValue] = []
    missed: list[Finding] = []
    hubs = [min(group, key=lambda end: end.hinged) for group in groups]
    alongs, aways = _beside(members, np.array([hub.position for hub in hubs]).reshape(-1, 3))
    for place_of, group in enumerate(groups):
        # Ends that are not hinged make the node; hinged ones turn against it.
        hub, *others = sorted(group, key=lambda end: end.hinged)
        for end in others:
            how = "hinged" if end.hinged else "welded"
            title = f"{end.side.words} – {hub.side.words}"
            joints.append(
                JointValue(title, end.side, hub.side, how, tolerance, implied=True, rolls=False)
            )
        inside = {end.member.name for end in group}
        for number, member in enumerate(members):
            if member.name in inside:
                continue
            along, away = float(alongs[place_of, number]), float(aways[place_of, number])
            if not tolerance < along < member.length - tolerance:
                continue
            if away <= tolerance:
                site = f"{member.name} at {along * 1e3:.6g} mm"
                place = Place(site, member.name, along)
                sides = hub.side, JointSide(member.name, place)
                how = "hinged" if hub.hinged else "welded"
                title = f"{hub.side.words} – {site}"
                joints.append(JointValue(title, *sides, how, tolerance, implied=True, rolls=False))
            elif away <= _NEAR * tolerance:
                missed.append(_missed(name, hub.side.words, member.name, away, tolerance))
    apart = _apart([end for group in groups for end in group])
    firsts = np.cumsum([0] + [len(group) for group in groups])
    for (number, one), (other, two) in itertools.combinations(enumerate(groups), 2):
        rows = slice(firsts[number], firsts[number + 1])
        away = float(apart[rows, firsts[other] : firsts[other + 1]].min())
        if away <= _NEAR * tolerance:
            missed.append(_missed(name, one[0].side.words, two[0].side.words, away, tolerance))
    return joints, missed


def _missed(name: str, one: str, two: str, gap: float, tolerance: float) -> Finding:
    return Finding(
        ("parts", name),
        f"“{one}” and “{two}” come within {gap * 1e3:.4g} mm of each other and do not join; the "
        f"tolerance is {tolerance * 1e3:g} mm",
    )


def _clusters(ends: Sequence[_End], tolerance: float) -> list[list[_End]]:
    """Ends that meet within a tolerance, in groups."""
    near = _apart(ends) <= tolerance
    label = np.arange(len(ends))
    while True:
        # The lowest number among all that are near spreads until nothing changes.
        lower = np.where(near, label, len(ends)).min(axis=1, initial=len(ends))
        if np.array_equal(lower, label):
            break
        label = lower
    groups: dict[int, list[_End]] = {}
    for end, own in zip(ends, label, strict=True):
        groups.setdefault(int(own), []).append(end)
    return list(groups.values())


def _apart(ends: Sequence[_End]) -> Array:
    """Distances between ends (m)."""
    positions = np.array([end.position for end in ends]).reshape(-1, 3)
    return np.asarray(np.linalg.norm(positions[:, None] - positions, axis=2))


def _beside(members: Sequence[MemberValue], points: Array) -> tuple[Array, Array]:
    """How far along straight members ``(points, members)`` points are, and how far away (m)."""
    starts = np.array([member.start for member in members]).reshape(-1, 3)
    ways = np.array([member.stop for member in members]).reshape(-1, 3) - starts
    axes = ways / np.linalg.norm(ways, axis=1, keepdims=True)
    arms = points[:, None] - starts
    along = np.einsum("pmi,mi->pm", arms, axes)
    return along, np.linalg.norm(arms - along[..., None] * axes, axis=2)

"""Joints between parts whose meshes need not match: which stations meet, and what ties them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.place import Place
from belltone.design.values import Design, JointSide, JointValue
from belltone.errors import UserError
from belltone.geometry.shapes import Plate
from belltone.mesh.sites import Feet, SiteNodes
from belltone.mesh.spots import unit_disc
from belltone.mesh.surface import SurfaceMesh
from belltone.system.averages import averages_of
from belltone.system.bodies import Body
from belltone.system.constraints import (
    foot_of,
    hinged_tie,
    mean_motion,
    relative_tie,
    repeated,
    site_rows,
    turns_of,
    welded_tie,
)
from belltone.system.pose import Pose

__all__ = ["JointError", "Meeting", "Rule", "Ties", "joint_ties", "meeting_of", "touching"]

Array = NDArray[np.float64]

_WORTH: Final = 0.05  # share of all that touches below which an edge does not count
_PIECE: Final = 0.5  # of the longest edge; one so long always counts
_REACHES: Final = 4  # times the thickness at one place; elsewhere it may be larger
_STEEP: Final = 0.3  # sine of an angle at which an edge runs off from what it meets
_SORTS: Final = (("edge", "axis"), ("face", "end"), ("corner",))
"""Sorts of sites that may touch another part; the later ones only where none of the earlier do."""
_AT_RIM: Final = 1e-6  # weight of nodes that are not on a rim, where a foot is on one
_OVER: Final = 1e-4  # of the wall's size; what lies farther beside its foot is not over the wall
_LEANS: Final = 0.1  # slope of a coarse element's normal
_ROUNDING: Final = 1e-9  # m; a gap just as wide as a joint reaches over is joined
_SAME_LINE: Final = 1e-6  # of its length; lines that are no farther apart are one


class JointError(UserError):
    """A joint whose parts do not meet."""


@dataclass(frozen=True)
class Meeting:
    """Where two bodies meet: stations of one, and their feet on the other.

    ``gaps`` (stations,) is the open distance between the materials (m), zero where they touch.
    """

    driving: Body
    other: Body
    place: Place | None
    stations: SiteNodes
    feet: Feet
    gaps: Array

    @property
    def length(self) -> float:
        """Share of the driving site that meets the other part."""
        return float(self.stations.shares.sum())


Rule = Callable[[Pose | None], scipy.sparse.csr_matrix]
"""Rows that tie, at a pose; what meets was found as the parts were made."""


@dataclass(frozen=True)
class Ties:
    """Rows that must be zero, rows on springs and their stiffness, each by the joint it is of.

    ``rules`` give the rows at any pose, with one more column of how far they are from zero.
    """

    held: scipy.sparse.csr_matrix
    sprung: scipy.sparse.csr_matrix
    stiffness: Array
    of_held: NDArray[np.intp]
    of_sprung: NDArray[np.intp]
    rules: tuple[Rule, ...]
    sprung_rules: tuple[Rule, ...]


def joint_ties(design: Design, bodies: Mapping[str, Body], size: int) -> Ties:
    """The ties of all joints of a design; raises `JointError` where parts do not meet."""
    held, sprung = [scipy.sparse.csr_matrix((0, size))], [scipy.sparse.csr_matrix((0, size))]
    stiffness = [np.empty(0)]
    of_held: list[int] = []
    of_sprung: list[int] = []
    rules: list[Rule] = []
    sprung_rules: list[Rule] = []
    for number, joint in enumerate(design.joints):
        if joint.how == "none":
            continue
        if joint.how == "spots":
            rules.append(_spot_rows(joint, bodies, size))
            held.append(rules[-1](None))
            of_held += [number] * held[-1].shape[0]
            continue
        for meeting in meeting_of(joint, bodies):
            if joint.how == "sprung":
                sprung_rules.append(_between(meeting, joint.spring_directions, joint.own, size))
                rows = sprung_rules[-1](None)
                shares = meeting.stations.shares / meeting.length
                stiffness.append(np.outer(shares, joint.spring_stiffness).ravel())
                sprung.append(rows)
                of_sprung += [number] * rows.shape[0]
            rules.append(_held_rows(joint, meeting, size))
            held.append(rules[-1](None))
            of_held += [number] * held[-1].shape[0]
    return Ties(
        scipy.sparse.csr_matrix(scipy.sparse.vstack(held)),
        scipy.sparse.csr_matrix(scipy.sparse.vstack(sprung)),
        np.concatenate(stiffness),
        np.array(of_held, dtype=np.intp),
        np.array(of_sprung, dtype=np.intp),
        tuple(rules),
        tuple(sprung_rules),
    )


def _held_rows(joint: JointValue, meeting: Meeting, size: int) -> Rule:
    """The relative motions a joint holds where two bodies meet."""
    slides = np.hstack([np.eye(3), np.zeros((3, 3))])
    if joint.how == "sprung":
        return _between(meeting, joint.held_directions, joint.own, size)
    if joint.how == "welded":
        if len(meeting.stations) == 1:
            return _between(meeting, np.eye(6), False, size)
        return welded_tie(*_in_the_mean(meeting, joint.tolerance, size))
    if joint.axis is not None:
        axis = joint.axis / np.linalg.norm(joint.axis)
        across = np.linalg.svd(axis[None])[2][1:]
        rows = np.vstack([slides, np.hstack([np.zeros((2, 3)), across])])
        return _between(meeting, rows, False, size)
    if len(meeting.stations) == 1:
        # A ball turns about every axis; a member's end usually does not about the member.
        roll = np.concatenate([np.zeros(3), meeting.stations.frames[0, 0]])
        rows = slides if joint.rolls else np.vstack([slides, roll])
        return _between(meeting, rows, False, size)
    return hinged_tie(*_in_the_mean(meeting, joint.tolerance, size))


def _in_the_mean(
    meeting: Meeting, tolerance: float, size: int
) -> tuple[SiteNodes, Feet, int, scipy.sparse.csr_matrix | None]:
    """What ties the stations of a meeting: their feet, and where meshes do not match also means."""

    def meet(places: SiteNodes) -> tuple[Feet, NDArray[np.bool_]]:
        feet = meeting.other.feet(places.positions)
        gaps = open_gaps(meeting.driving.feet(places.positions), places, feet)
        return feet, _joined(meeting.other, places, feet, gaps, tolerance)

    found = averages_of(meeting.stations, meeting.feet, meet)
    if found is None:
        return meeting.stations, meeting.feet, size, None
    return found.site, found.feet, size, found.shares


def _between(meeting: Meeting, directions: Array, own: bool, size: int) -> Rule:
    """Relative motions where two bodies meet; at a point of a wall, of a disc round it.

    What is joined to a wall at one point has an area there: that of its section, or one as wide as
    the wall is thick. In a wall that can shear, a true point would give way without limit.
    """
    stations, feet = meeting.stations, meeting.feet
    if len(stations) > 1 or feet.normals is None or not len(directions):
        return relative_tie(stations, feet, directions, own, size)
    normal = feet.normals[0]
    across = np.linalg.svd(normal[None])[2][1:]
    own_reach = float(meeting.driving.feet(stations.positions).reach[0])
    radius = max(own_reach, float(feet.reach[0]))
    ring = meeting.other.feet(feet.positions[0] + radius * unit_disc() @ across)
    spatial = directions
    if own:
        frame = stations.frames[0]
        spatial = np.hstack([directions[:, :3] @ frame, directions[:, 3:] @ frame])
    place = stations.positions[0]

    def rule(pose: Pose | None) -> scipy.sparse.csr_matrix:
        ours = site_rows(stations, np.eye(6), False, size, pose)
        theirs = mean_motion(ring, place, size, pose)
        now = spatial
        if pose is not None:
            turned = turns_of(stations, pose)[0]
            now = np.hstack([spatial[:, :3] @ turned.T, spatial[:, 3:] @ turned.T])
        return scipy.sparse.csr_matrix(scipy.sparse.csr_matrix(now) @ (ours - theirs))

    return rule


def meeting_of(joint: JointValue, bodies: Mapping[str, Body]) -> list[Meeting]:
    """Where the two sides of a joint meet; raises `JointError` where they do not."""
    sides = (joint.first, joint.second)
    first, second = (bodies[side.part] for side in sides)
    one, two = (_stations(bodies[side.part], side) for side in sides)
    found: list[Meeting] = []
    if one is not None and two is not None:
        if joint.rigid:
            return [_tied_points(first, second, sides[0].place, one, two)]
        if len(one) == 1 and len(two) == 1:
            tied = _tied_points(first, second, sides[0].place, one, two)
            reach = sum(
                float(body.feet(site.positions).reach[0])
                for body, site in ((first, one), (second, two))
            )
            if tied.gaps[0] - reach > joint.tolerance + _ROUNDING:
                raise _nothing_joined(joint, float(tied.gaps[0]) - reach)
            return [tied]
        choices = [
            met
            for driving, other, side, stations in (
                (first, second, sides[0], one),
                (second, first, sides[1], two),
            )
            if (met := _met(driving, other, side.place, stations, joint.tolerance)) is not None
        ]
        # The finer side follows the coarser, which leaves both free to bend as they can; a point
        # follows whatever it stands on.
        choices.sort(key=lambda met: (len(met.stations) == 1, len(met.stations)), reverse=True)
        found = choices[:1]
    elif one is not None or two is not None:
        driving, other, side = (
            (first, second, sides[0]) if two is None else (second, first, sides[1])
        )
        stations = one if one is not None else two
        assert stations is not None
        met = _met(driving, other, side.place, stations, joint.tolerance)
        found = [] if met is None else [_finer_of(met, joint.tolerance)]
    else:
        found = touching(first, second, joint.tolerance)
    if not found:
        raise _nothing_joined(joint, _gap(first, second, [one, two]))
    return found


def _nothing_joined(joint: JointValue, gap: float) -> JointError:
    return JointError(
        f"the joint “{joint.name}” joins nothing: “{joint.first.words}” and "
        f"“{joint.second.words}” are {gap * 1e3:.4g} mm apart, and it reaches over "
        f"{joint.tolerance * 1e3:g} mm; move them together or state a wider “tolerance”"
    )


def _finer_of(met: Meeting, tolerance: float) -> Meeting:
    """The same meeting driven by an edge of the other part, where one lies there and is finer."""
    if len(met.stations) == 1:
        return met
    size = met.length * _extent(met.stations)
    for name, feature in met.other.part.features.items():
        if feature.sort != "edge" or feature.whole:
            continue
        place = met.other.part.place_of(name)
        edge = met.other.site(place)
        if len(edge) <= len(met.stations) or (
            not np.isfinite(tolerance) and _leads_away(edge, met)
        ):
            continue
        back = _met(met.other, met.driving, place, edge, tolerance)
        if back is None or len(back.stations) <= len(met.stations):
            continue
        if _aside(back).max() > _room(met, tolerance):
            continue
        apart = np.linalg.norm(
            back.stations.centre / back.length - met.stations.centre / met.length
        )
        alike = abs(back.length * _extent(back.stations) - size) <= _WORTH * size
        if alike and apart <= _WORTH * size + tolerance:
            return back
    return met


def _leads_away(edge: SiteNodes, met: Meeting) -> bool:
    """Whether an edge goes farther from where parts meet than the stations there are apart."""
    away = np.linalg.norm(edge.positions[:, None] - met.feet.positions, axis=2).min(axis=1)
    steps = np.linalg.norm(np.diff(met.feet.positions, axis=0), axis=1)
    return bool(away.max() > steps.max(initial=0.0))


def _aside(met: Meeting) -> Array:
    """How far stations stand beside where the other part is joined to theirs (m)."""
    there = met.driving.feet(met.feet.positions).positions
    return np.asarray(np.linalg.norm(met.stations.positions - there, axis=1))


def _room(met: Meeting, tolerance: float) -> float:
    """How far an edge may stand beside a meeting and still be where the parts meet (m).

    What reaches over any distance, such as a rib to its wall, is joined exactly where it stands.
    """
    size = _extent(met.stations)
    if not np.isfinite(tolerance):
        return _SAME_LINE * size
    own = met.driving.feet(met.stations.positions).reach
    return tolerance + float(own.max()) + _SAME_LINE * size


def _tied_points(
    first: Body, second: Body, place: Place | None, one: SiteNodes, two: SiteNodes
) -> Meeting:
    """Two points, or all of a site and a point: tied however far apart they stand."""
    feet = repeated(foot_of(two), len(one))
    gaps = np.linalg.norm(one.positions - feet.positions, axis=1)
    return Meeting(first, second, place, one, feet, gaps)


def _stations(body: Body, side: JointSide) -> SiteNodes | None:
    return None if side.place is None else body.site(side.place)


def _met(
    driving: Body, other: Body, place: Place | None, stations: SiteNodes, tolerance: float
) -> Meeting | None:
    """The stations that touch another body, or ``None``."""
    (found,) = _all_met(driving, other, [(place, stations)], tolerance)
    return found


def _all_met(
    driving: Body, other: Body, sites: Sequence[tuple[Place | None, SiteNodes]], tolerance: float
) -> list[Meeting | None]:
    """The stations of each site that touch another body, or ``None``; feet of all at once."""
    if not sites:
        return []
    positions = np.concatenate([stations.positions for _, stations in sites])
    theirs, ours = other.feet(positions), driving.feet(positions)
    ends = np.cumsum([len(stations) for _, stations in sites])
    found: list[Meeting | None] = []
    for (place, stations), end in zip(sites, ends, strict=True):
        here = np.arange(end - len(stations), end)
        feet = theirs.some(here)
        gaps = open_gaps(ours.some(here), stations, feet)
        near = _joined(other, stations, feet, gaps, tolerance)
        if not near.any():
            found.append(None)
            continue
        touching = stations.some(near), feet.some(near), np.maximum(gaps[near], 0.0)
        found.append(Meeting(driving, other, place, *touching))
    return found


def _joined(
    other: Body, stations: SiteNodes, feet: Feet, gaps: Array, tolerance: float
) -> NDArray[np.bool_]:
    """Which stations are so near to their feet, by the ``gaps`` (m), that they are tied to them."""
    near = gaps <= tolerance + _ROUNDING
    if not np.isfinite(tolerance):
        # A rib is joined to what it stands on however far off; where it spans a hole, to nothing.
        near &= ~_beyond_rim(other, stations, feet)
    return np.asarray(near)


def open_gaps(own: Feet, stations: SiteNodes, feet: Feet) -> Array:
    """Open distance between materials (m): what reaches out of lines and surfaces taken off.

    ``own`` are the places of stations on their own part. A wall reaches out along its normal alone,
    a member square to its axis.
    """
    away = stations.positions - feet.positions
    distance = np.linalg.norm(away, axis=1)
    if feet.normals is None:
        toward = away / np.maximum(distance, 1e-300)[:, None]
        sideways = np.zeros(len(away))
    else:
        toward = feet.normals
        sideways = _sideways(stations, feet)
        distance = np.abs(np.sum(away * toward, axis=1))
    if own.normals is not None:
        share = np.abs(np.sum(own.normals * toward, axis=1))
    else:
        along = np.sum(stations.frames[:, 0] * toward, axis=1)
        share = np.sqrt(np.maximum(1 - along**2, 0.0))
    across = np.maximum(distance - feet.reach - share * own.reach, 0.0)
    return np.asarray(np.hypot(across, sideways))


def _beyond_rim(wall: Body, stations: SiteNodes, feet: Feet) -> NDArray[np.bool_]:
    """Which stations stand over no wall, but beside a rim of it."""
    mesh = wall.mesh
    if not isinstance(mesh, SurfaceMesh):
        return np.zeros(len(stations.positions), bool)
    on_rim = np.abs(np.where(mesh.rim[feet.nodes], 0.0, feet.weights)).sum(axis=1) < _AT_RIM
    slack = _OVER * max(_extent(stations), mesh.size)
    if not isinstance(mesh.surface.shape, Plate):
        # Normals of coarse elements are not those of a curved wall.
        slack = slack + _LEANS * np.linalg.norm(stations.positions - feet.positions, axis=1)
    return np.asarray(on_rim & (_sideways(stations, feet) > slack))


def _sideways(stations: SiteNodes, feet: Feet) -> Array:
    """How far stations stand beside the nearest places of a wall, along it (m)."""
    if feet.normals is None:
        return np.zeros(len(stations.positions))
    away = stations.positions - feet.positions
    height = np.sum(away * feet.normals, axis=1, keepdims=True)
    return np.asarray(np.linalg.norm(away - height * feet.normals, axis=1))


def touching(first: Body, second: Body, tolerance: float) -> list[Meeting]:
    """Sites of one of two bodies that touch the other: those that touch along most.

    Where both touch along as much, the finer one follows the coarser.
    """
    if _apart(first, second, tolerance):
        return []
    choices: list[tuple[float, int, list[Meeting]]] = []
    slack = tolerance + _REACHES * (first.reach + second.reach)
    for driving, other in ((first, second), (second, first)):
        for wanted in _SORTS:
            found = _touching_along(driving, other, wanted, slack, tolerance)
            # The last bit of an edge that runs off from another, which touches, is no edge.
            # An edge may also come in many pieces, each of them short.
            found = [each for each in found if not _runs_off(each[1])] or found
            whole = sum(size for size, _ in found)
            longest = max((size for size, _ in found), default=0.0)
            least = min(_WORTH * whole, _PIECE * longest)
            kept = [(size, met) for size, met in found if size >= least]
            if kept:
                total = sum(size for size, _ in kept)
                count = sum(len(met.stations) for _, met in kept)
                choices.append((total, count, [met for _, met in kept]))
                break
    if not choices:
        return []
    most = max(total for total, _, _ in choices)
    near = [choice for choice in choices if choice[0] >= (1 - _WORTH) * most]
    return max(near, key=lambda choice: choice[1])[2]


def _touching_along(
    driving: Body, other: Body, wanted: Collection[str], slack: float, tolerance: float
) -> list[tuple[float, Meeting]]:
    """Where sites of some sorts touch another body, and how long that is (m)."""
    part, near = driving.part, list[tuple[str, SiteNodes, SiteNodes]]()
    for name, feature in part.features.items():
        if feature.sort in wanted and not feature.whole:
            stations = driving.site(part.place_of(name))
            # Most edges are far from the other part, and feet take long to find.
            beside = stations.some(_beside(stations, other, slack))
            if len(beside):
                near.append((name, stations, beside))
    asked = [(part.place_of(name), beside) for name, _, beside in near]
    found: list[tuple[float, Meeting]] = []
    for (name, stations, _), met in zip(
        near, _all_met(driving, other, asked, tolerance), strict=True
    ):
        if met is None or (len(met.stations) == 1 and len(stations) > 1):
            continue
        if part.features[name].sort == "axis" and _extent(met.stations) < 2 * driving.reach:
            continue  # it only ends there
        found.append((met.length * _extent(stations), met))
    return found


def _beside(stations: SiteNodes, other: Body, slack: float) -> NDArray[np.bool_]:
    """Which stations are no farther than this from the box round another body."""
    coordinates, at = other.mesh.coordinates, stations.positions
    low, high = coordinates.min(axis=0) - slack, coordinates.max(axis=0) + slack
    return np.asarray(((at >= low) & (at <= high)).all(axis=1))


def _runs_off(met: Meeting) -> bool:
    """Whether an edge leads away from what it meets, which only its thickness reaches.

    Tied, such a bit would hold what else is joined along that edge as if it were rigid.
    """
    away = np.linalg.norm(met.stations.positions - met.feet.positions, axis=1)
    return bool(np.ptp(away) > _STEEP * _extent(met.stations))


def _extent(stations: SiteNodes) -> float:
    """A length of a site; a point counts for little."""
    size = float(np.linalg.norm(np.ptp(stations.positions, axis=0)))
    return max(size, 1e-6)


def _apart(first: Body, second: Body, tolerance: float) -> bool:
    """Whether two bodies are certainly too far apart, by the boxes round them."""
    one, two = first.mesh.coordinates, second.mesh.coordinates
    slack = tolerance + first.reach + second.reach
    low = np.maximum(one.min(axis=0), two.min(axis=0))
    high = np.minimum(one.max(axis=0), two.max(axis=0))
    return bool(np.any(low - high > slack))


def _gap(first: Body, second: Body, places: list[SiteNodes | None]) -> float:
    """The least open distance between two sides (m)."""
    gaps: list[float] = []
    for driving, other, stations in ((first, second, places[0]), (second, first, places[1])):
        if stations is None:
            if any(place is not None for place in places):
                continue
            whole = [driving.part.place_of(name) for name in driving.part.features]
            sites = [driving.site(place) for place in whole]
        else:
            sites = [stations]
        for site in sites:
            own, feet = driving.feet(site.positions), other.feet(site.positions)
            gaps.append(float(open_gaps(own, site, feet).min()))
    return min(gaps)


def _spot_rows(joint: JointValue, bodies: Mapping[str, Body], size: int) -> Rule:
    """Mean motions over every spot, of one part against the other."""
    pieces: list[tuple[Array, list[Feet]]] = []
    for place in joint.spots:
        station = bodies[place.part].site(place)
        centre, frame = station.positions[0], station.frames[0]
        ring = centre + joint.radius * unit_disc() @ frame[:2]
        rings = []
        for side in (joint.first, joint.second):
            body = bodies[side.part]
            foot = body.feet(centre[None])
            gap = float(np.linalg.norm(foot.positions[0] - centre) - foot.reach[0])
            gap -= float(bodies[place.part].feet(centre[None]).reach[0])
            if gap > joint.tolerance + _ROUNDING:
                raise JointError(
                    f"the spot “{place.site}” of the joint “{joint.name}” is {gap * 1e3:.4g} mm "
                    f"away from “{side.part}”; it reaches over {joint.tolerance * 1e3:g} mm"
                )
            rings.append(body.feet(ring))
        pieces.append((centre, rings))

    def rule(pose: Pose | None) -> scipy.sparse.csr_matrix:
        rows = [
            mean_motion(rings[0], centre, size, pose) - mean_motion(rings[1], centre, size, pose)
            for centre, rings in pieces
        ]
        return scipy.sparse.csr_matrix(scipy.sparse.vstack(rows))

    return rule

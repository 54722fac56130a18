"""Members of a sheet worked out: paths, sections, turned solids, and the members of frames."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MaterialValue, MemberValue
from belltone.geometry.paths import MemberPath, Straight, first_up, space_path
from belltone.geometry.profiles import Arc, Line, ProfileError, arc_through
from belltone.reading.materials import isotropic
from belltone.reading.numbers import Values
from belltone.reading.placement import read_placement, vector
from belltone.reading.sections import read_section
from belltone.sections.runs import Neck, SectionRun, Taper, TurnedProfile
from belltone.sheet import part_models as models
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path

__all__ = ["MemberReader"]

Array = NDArray[np.float64]


@dataclass
class MemberReader:
    """Works members out; what is wrong goes to the values' findings."""

    sheet: Sheet
    values: Values

    def read(self, name: str, part: models.Member) -> MemberValue | None:
        """One member, or ``None`` with findings."""
        path: Path = ("parts", name)
        before = len(self.values.findings)
        material = self.material(path, part.material)
        run = self._path(path, part)
        sections = self._sections(path, part)
        line_mass = self.line_mass(path)
        origin, frame = read_placement(self.values, path, part.placement)
        if (
            material is None
            or run is None
            or sections is None
            or len(self.values.findings) > before
        ):
            return None
        return MemberValue(name, run.mapped(frame, origin), sections, material, line_mass)

    def read_turned(self, name: str, part: models.Turned) -> MemberValue | None:
        """One solid of revolution, or ``None`` with findings."""
        path: Path = ("parts", name)
        before = len(self.values.findings)
        material = self.material(path, part.material)
        profile = self._contour(path, part)
        line_mass = self.line_mass(path)
        origin, frame = read_placement(self.values, path, part.placement)
        if material is None or profile is None or len(self.values.findings) > before:
            return None
        start = np.array([self.values.numbers[(*path, "contour", 0, "at")], 0.0, 0.0])
        stop = start + np.array([profile.length, 0.0, 0.0])
        run = MemberPath((Straight(start, stop, np.array([0.0, 0.0, 1.0])),))
        return MemberValue(name, run.mapped(frame, origin), profile, material, line_mass)

    def read_frame(self, name: str, part: models.Frame) -> list[MemberValue]:
        """The members of a frame that are good; findings for the others."""
        path: Path = ("parts", name)
        origin, frame = read_placement(self.values, path, part.placement)
        nodes = {
            node: origin + frame @ vector(self.values, (*path, "nodes", node))
            for node in part.nodes
        }
        whole = read_section(self.values, (*path, "section"), part.section)
        common = self.material(path, part.material)
        self.values.positive((*path, "tolerance"), "the tolerance")
        found: list[MemberValue] = []
        for key, entry in part.members.items():
            here: Path = (*path, "members", key)
            ends = [self._node(here, side, wanted, nodes) for side, wanted in _ends(entry)]
            section, material = whole, common
            if entry.section is not None:
                section = read_section(self.values, (*here, "section"), entry.section)
            if entry.material is not None:
                material = self.material(here, entry.material)
            line_mass = self.line_mass(here)
            if ends[0] is None or ends[1] is None or section is None or material is None:
                continue
            if not np.linalg.norm(ends[1] - ends[0]) > 0:
                self.values.add(here, "its two nodes are at the same place")
                continue
            run = self._straight(here, ends[0], ends[1], entry.up)
            if run is not None:
                sections = Taper(section, section)
                member = f"{name}.{key}"
                found.append(MemberValue(member, run, sections, material, line_mass, within=name))
        return found

    def material(self, path: Path, name: str) -> MaterialValue | None:
        """The isotropic material of a part at a path."""
        return isotropic(self.sheet, self.values, name, (*path, "material"))

    def line_mass(self, path: Path) -> float:
        """Mass per length (kg/m) of a part at a path."""
        here = (*path, "mass_per_length")
        value = self.values.numbers.get(here, 0.0)
        if value < 0:
            self.values.add(here, "a mass per length must not be negative")
        return value

    def _node(self, path: Path, side: str, wanted: str, nodes: dict[str, Array]) -> Array | None:
        if wanted not in nodes:
            known = ", ".join(f"“{node}”" for node in nodes)
            self.values.add((*path, side), f"there is no node “{wanted}”; there are {known}")
            return None
        return nodes[wanted]

    # -- paths ----------------------------------------------------------------------------------

    def _path(self, path: Path, part: models.Member) -> MemberPath | None:
        given = [
            part.length is not None,
            part.start is not None or part.stop is not None,
            part.path is not None,
        ]
        if sum(given) != 1:
            self.values.add(
                path, "give one of “length”, the two points “from” and “to”, or a “path”"
            )
            return None
        twist = self.values.numbers.get((*path, "twist"), 0.0)
        if part.path is not None:
            return self._along(path, part, twist)
        if part.closed:
            self.values.add((*path, "closed"), "only a “path” can be closed")
            return None
        if part.length is not None:
            length = self.values.positive((*path, "length"), "a length")
            return self._straight(path, np.zeros(3), np.array([length, 0.0, 0.0]), part.up, twist)
        if part.start is None or part.stop is None:
            self.values.add(path, "two points are needed, “from” and “to”")
            return None
        start, stop = vector(self.values, (*path, "from")), vector(self.values, (*path, "to"))
        if not np.linalg.norm(stop - start) > 0:
            self.values.add((*path, "to"), "the two points are the same, so the length is zero")
            return None
        return self._straight(path, start, stop, part.up, twist)

    def _straight(
        self,
        path: Path,
        start: Array,
        stop: Array,
        up: tuple[float, float, float] | None,
        twist: float = 0.0,
    ) -> MemberPath | None:
        run = stop - start
        length = float(np.linalg.norm(run))
        if not length > 0:
            return None
        try:
            found = first_up(run / length, None if up is None else np.array(up))
        except ValueError as error:
            self.values.add((*path, "up"), str(error))
            return None
        return MemberPath((Straight(start, stop, found),), twist=twist)

    def _along(self, path: Path, part: models.Member, twist: float) -> MemberPath | None:
        assert part.path is not None
        here: Path = (*path, "path")
        points: list[Array] = []
        bends: list[float] = []
        through: list[Array | None] = []
        for index, point in enumerate(part.path):
            points.append(vector(self.values, (*here, index, "at")))
            bends.append(self.values.numbers.get((*here, index, "bend"), 0.0))
            if bends[-1] < 0:
                self.values.add((*here, index, "bend"), "a bend radius must not be negative")
                return None
            over = None if point.through is None else vector(self.values, (*here, index, "through"))
            through.append(over)
        if through[0] is not None and not part.closed:
            self.values.add((*here, 0, "through"), "nothing leads to the first point of a path")
            return None
        up = None if part.up is None else np.array(part.up)
        try:
            return space_path(points, bends, through, up, part.closed, twist)
        except ProfileError as error:
            self.values.add((*here, error.index), str(error))
        except ValueError as error:
            self.values.add((*path, "up"), str(error))
        return None

    # -- sections -------------------------------------------------------------------------------

    def _sections(self, path: Path, part: models.Member) -> SectionRun | None:
        section = read_section(self.values, (*path, "section"), part.section)
        if section is None or part.section_at_end is None:
            return None if section is None else Taper(section, section)
        here: Path = (*path, "section_at_end")
        at_end = read_section(self.values, here, part.section_at_end)
        if part.section_at_end.shape != part.section.shape:
            self.values.add(
                here, f"a taper keeps its shape: “{part.section.shape}” is needed here too"
            )
            return None
        if isinstance(part.section, models.ThinWalled | models.SolidOutline):
            self.values.add(here, f"a “{part.section.shape}” section cannot taper; leave this out")
            return None
        return None if at_end is None else Taper(section, at_end)

    def _contour(self, path: Path, part: models.Turned) -> TurnedProfile | None:
        """The radius over the length, from the first point of the contour on."""
        here: Path = (*path, "contour")
        before = len(self.values.findings)
        numbers = self.values.numbers
        origin = numbers[(*here, 0, "at")]
        segments: list[Line | Arc | Neck] = []
        last: tuple[float, float] | None = None
        for index, point in enumerate(part.contour):
            at: Path = (*here, index)
            radius = self.values.positive((*at, "radius"), "the radius")
            place = (numbers[(*at, "at")] - origin, radius)
            if last is None:
                if point.through is not None or point.throat is not None:
                    self.values.add(at, "nothing leads to the first point of a contour")
            elif not place[0] > last[0]:
                self.values.add((*at, "at"), "every point must stand further along than the last")
            elif (segment := self._reached(at, point, last, place, origin)) is not None:
                segments.append(segment)
            last = place
        bore = 0.0
        if part.bore is not None:
            bore = self.values.positive((*path, "bore"), "the bore")
        if len(self.values.findings) > before:
            return None
        profile = TurnedProfile(tuple(segments), bore)
        least = 2 * float(profile.radius(np.linspace(0.0, 1.0, 513)).min())
        if not least > bore:
            self.values.add(
                (*path, "bore") if bore else here,
                f"the contour is {least * 1e3:.4g} mm across where it is thinnest"
                + (f", which leaves nothing round a bore of {bore * 1e3:g} mm" if bore else ""),
            )
            return None
        return profile

    def _reached(
        self,
        path: Path,
        point: models.TurnedPoint,
        last: tuple[float, float],
        place: tuple[float, float],
        origin: float,
    ) -> Line | Arc | Neck | None:
        if point.throat is not None:
            throat = self.values.positive((*path, "throat"), "the throat")
            if throat > min(last[1], place[1]):
                self.values.add(
                    (*path, "throat"),
                    f"a throat is the least radius; it must not be above "
                    f"{min(last[1], place[1]) * 1e3:g} mm, that of the nearer end",
                )
                return None
            return Line(last, place) if throat == last[1] == place[1] else Neck(last, place, throat)
        if point.through is None:
            return Line(last, place)
        over = (
            self.values.numbers[(*path, "through", 0)] - origin,
            self.values.numbers[(*path, "through", 1)],
        )
        try:
            arc = arc_through(last, over, place)
        except ValueError as error:
            self.values.add((*path, "through"), str(error))
            return None
        along = arc.position(np.linspace(0.0, 1.0, 65))[:, 0]
        if not np.all(np.diff(along) > -1e-12):
            self.values.add((*path, "through"), "this arc turns back on itself along the axis")
            return None
        return arc


def _ends(entry: models.FrameMember) -> tuple[tuple[str, str], tuple[str, str]]:
    return ("from", entry.start), ("to", entry.stop)

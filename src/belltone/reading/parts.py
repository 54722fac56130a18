"""All parts of a sheet worked out, with copies, and the joints that come with frames and ribs."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from belltone.design.parts import MemberValue, PartValue
from belltone.design.place import Place
from belltone.design.values import JointValue
from belltone.reading.joints import frame_joints, frame_nodes
from belltone.reading.members import MemberReader
from belltone.reading.meshes import MeshReader
from belltone.reading.numbers import Values
from belltone.reading.patterns import PatternReader, SpaceCopy
from belltone.reading.ribs import RibReader, rib_joint
from belltone.reading.sites import SiteReader
from belltone.reading.skins import SkinReader
from belltone.reading.surfaces import SurfaceReader
from belltone.sheet import part_models as models
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding

__all__ = ["BuiltParts", "PartBuilder"]


@dataclass
class BuiltParts:
    """Parts in the sheet's order with copies behind them, and what comes with them."""

    parts: tuple[PartValue, ...] = ()
    joints: list[JointValue] = field(default_factory=list)
    nodes: dict[str, Place] = field(default_factory=dict)
    copies: dict[str, list[SpaceCopy]] = field(default_factory=dict)
    missed: list[Finding] = field(default_factory=list)


@dataclass
class PartBuilder:
    """Builds the parts of one sheet; what is wrong goes to the values' findings."""

    sheet: Sheet
    values: Values
    sites: SiteReader

    def build(self) -> BuiltParts:
        """All parts, points in space last but for the copies, which stand behind everything.

        Copies may come and go while a count changes; what stands before them keeps its place.
        """
        content = self.sheet.content
        patterns = PatternReader(self.sheet, self.values)
        built = BuiltParts(copies=patterns.space_copies())
        members = MemberReader(self.sheet, self.values)
        surfaces = SurfaceReader(self.sheet, self.values, patterns.plane_copies("hole"))
        meshes = MeshReader(self.sheet, self.values, built.missed)
        skins = SkinReader(self.sheet, self.values, built.missed)
        found: dict[str, PartValue] = {}
        for name, part in content.parts.items():
            if not name.strip():
                self.values.add(("parts", name), "a part needs a name")
            elif isinstance(part, models.Frame):
                for member in self._frame(name, part, members, built):
                    found[member.name] = member
            elif isinstance(part, models.Member | models.Turned):
                read = members.read if isinstance(part, models.Member) else members.read_turned
                value = read(name, part)  # type: ignore[arg-type]
                if value is not None:
                    found[name] = value
            elif isinstance(part, models.MeshPart):
                mesh = meshes.read(name, part)
                if mesh is not None:
                    found[name] = mesh
            elif isinstance(part, models.SkinPart):
                skin = skins.read(name, part)
                if skin is not None:
                    found[name] = skin
            elif not isinstance(part, models.Rib):
                wall = surfaces.read(name, part)
                if wall is not None:
                    found[name] = wall
        copies: list[PartValue] = []
        ribs = RibReader(self.values, members, self.sites)
        rib_copies = patterns.plane_copies("rib")
        for name, part in content.parts.items():
            if not isinstance(part, models.Rib):
                continue
            if part.on in content.parts and part.on not in found:
                kept = content.parts[part.on]
                if isinstance(kept, models.SurfaceModel | models.SkinPart):
                    continue  # the wall's own finding says it
            laid = ribs.read(name, part, found, rib_copies.get(name, ()))
            built.joints += [rib_joint(rib) for rib in laid]
            for rib in laid[:1]:
                found[name] = rib
            copies += laid[1:]
        points = list(self.sites.points())
        for name, spaced in built.copies.items():
            if name in found:
                copies += [copy.part(found[name]) for copy in spaced]
            elif isinstance(content.parts[name], models.Frame):
                self.values.add(
                    ("parts", name), "a frame cannot be repeated as a whole; repeat its members"
                )
        built.parts = (*found.values(), *points, *copies)
        return built

    def _frame(
        self, name: str, part: models.Frame, reader: MemberReader, built: BuiltParts
    ) -> list[MemberValue]:
        members = reader.read_frame(name, part)
        tolerance = self.values.numbers[("parts", name, "tolerance")]
        shortest = min((member.length for member in members), default=math.inf)
        if tolerance >= 0.5 * shortest:
            self.values.add(
                ("parts", name, "tolerance"),
                f"a tolerance of {tolerance * 1e3:g} mm would join the two ends of a member that "
                f"is {shortest * 1e3:.4g} mm long; it must be less than half of that",
            )
        elif len(members) == len(part.members) and tolerance > 0:
            joints, missed = frame_joints(name, part, members, tolerance)
            built.joints += joints
            built.missed += missed
        built.nodes |= frame_nodes(name, part, members)
        return members

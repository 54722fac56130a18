"""Meshes of a sheet worked out: read, scaled, placed, with a wall for every region."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MaterialValue, MeshValue
from belltone.geometry.received_meshes import FaceSet, MeshFileError, read_faces
from belltone.reading.materials import isotropic
from belltone.reading.numbers import Values
from belltone.reading.placement import read_placement
from belltone.sheet import part_models as models
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path

__all__ = ["UNITS", "MeshReader"]

Array = NDArray[np.float64]

UNITS: Final = {"mm": 1e-3, "cm": 1e-2, "m": 1.0, "in": 25.4e-3}


_MOST_PIECES = 20  # each moves by itself; a mesh of hundreds of crumbs is a mistake


@dataclass
class MeshReader:
    """Works meshes out; what is wrong goes to the values' findings, what is odd to ``noted``."""

    sheet: Sheet
    values: Values
    noted: list[Finding] = field(default_factory=list)

    def read(self, name: str, part: models.MeshPart) -> MeshValue | None:
        """One mesh, or ``None`` with findings."""
        path: Path = ("parts", name)
        before = len(self.values.findings)
        try:
            sew = self.values.numbers.get((*path, "sew"), 0.0) / UNITS[part.unit]
            coarser = self.values.numbers.get((*path, "coarser"), 0.0) / UNITS[part.unit]
            faces = read_faces(self.sheet.file(part.file), part.regions_by, sew, coarser)
        except MeshFileError as error:
            self.values.add((*path, "file"), str(error))
            return None
        self.noted += [Finding(path, f"mesh “{name}”: {words}") for words in faces.findings]
        joined = any(name in joint.between for joint in self.sheet.content.joints)
        if faces.lines and not joined:
            self.noted.append(
                Finding(
                    path,
                    f"mesh “{name}”: its {faces.lines} lines are no walls and were left out; a "
                    "sheet begun with the file makes members of them",
                )
            )
        if faces.pieces > _MOST_PIECES:
            self.values.add(
                (*path, "file"),
                f"“{part.file}” is in {faces.pieces} pieces that share no node, and at most "
                f"{_MOST_PIECES} are taken; join its nodes, or send what belongs together alone",
            )
            return None
        count = len(faces.faces)
        thickness = np.full(count, self.values.positive((*path, "thickness"), "the thickness"))
        material = self._material((*path, "material"), part.material)
        made_of = [material] * count
        for region, wall in part.regions.items():
            here: Path = (*path, "regions", region)
            if region not in faces.regions:
                known = ", ".join(f"“{entry}”" for entry in faces.regions) or "none"
                self.values.add(here, f"the file has no region “{region}”; there is {known}")
                continue
            chosen = faces.regions[region]
            if wall.thickness is not None:
                thickness[chosen] = self.values.positive((*here, "thickness"), "the thickness")
            if wall.material is not None:
                other = self._material((*here, "material"), wall.material)
                for face in chosen:
                    made_of[face] = other
        origin, frame = read_placement(self.values, path, part.placement)
        if len(self.values.findings) > before or material is None:
            return None
        used = {id(each): each for each in made_of if each is not None}
        return self._value(
            name, part, faces, thickness, made_of, tuple(used.values()), origin, frame
        )

    def _value(
        self,
        name: str,
        part: models.MeshPart,
        faces: FaceSet,
        thickness: Array,
        made_of: list[MaterialValue | None],
        materials: tuple[MaterialValue, ...],
        origin: Array,
        frame: Array,
    ) -> MeshValue:
        keys = np.array([id(each) for each in made_of])

        def each(attribute: str) -> Array:
            values = np.empty(len(keys))
            for material in materials:
                values[keys == id(material)] = getattr(material, attribute)
            return values

        lines = {f"rim {k}": chain for k, chain in enumerate(faces.rims, start=1)}
        lines |= {f"fold {k}": chain for k, chain in enumerate(faces.folds, start=1)}
        areas = {"face": np.arange(len(faces.faces))}
        areas |= {f"region {region}": chosen for region, chosen in faces.regions.items()}
        return MeshValue(
            name,
            origin + (faces.points * UNITS[part.unit]) @ frame.T,
            faces.faces,
            faces.edges,
            thickness,
            each("youngs_modulus"),
            each("poisson_ratio"),
            each("density"),
            np.nan_to_num(each("expansion")),
            materials,
            {line: _numbers(faces, chain) for line, chain in lines.items()},
            areas,
            np.concatenate([*faces.rims[1:], faces.crowded_edges]).reshape(-1, 2),
        )

    def _material(self, path: Path, name: str) -> MaterialValue | None:
        return isotropic(self.sheet, self.values, name, path)


def _numbers(faces: FaceSet, chain: NDArray[np.intp]) -> NDArray[np.intp]:
    """Numbers of edges given by their ends."""
    count = len(faces.points)
    keys = faces.edges[:, 0] * count + faces.edges[:, 1]
    return np.searchsorted(keys, chain[:, 0] * count + chain[:, 1])

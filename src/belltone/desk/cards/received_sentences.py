"""Parts somebody sent in sentences: meshes and skins, their regions, faces and holes."""

from __future__ import annotations

from typing import Final

import numpy as np

from belltone.design.parts import SurfaceValue
from belltone.desk.cards.card import Act, Acts, Choice, Name, Number, Piece, Sentence
from belltone.desk.cards.sheet_card import SheetCard
from belltone.geometry.skins import Skin
from belltone.sheet.errors import Path
from belltone.sheet.handbook import handbook
from belltone.sheet.part_models import MeshPart, RegionWall, SkinPart
from belltone.system.kinds import place_lines

__all__ = ["mesh_sentences", "skin_sentences"]

Pieces = list[Piece]

_REGION: Final = "region "
_MOST_HOLES: Final = 12  # that are offered; more do not fit a menu
_MOST_REGIONS: Final = 16  # that nothing is said of yet; more are told by their count


def mesh_sentences(card: SheetCard, name: str, part: MeshPart, *more: Act) -> list[Sentence]:
    """A received mesh: its file, its wall, and every region of the file."""
    base: Path = ("parts", name)
    first: Pieces = ["A mesh", Name(base, name), f"from {part.file}, its numbers in {part.unit};"]
    result: list[Sentence] = [
        [*first, Number((*base, "thickness"), "thickness"), "thick.", Acts(more)]
    ]
    known = card.session.design.part_of(name).region_names
    regions = [each.removeprefix(_REGION) for each in known if each.startswith(_REGION)]
    others = [each for each in regions if each not in part.regions]
    left_out = set(others[_MOST_REGIONS:])
    result += [
        _region(card, base, region, part.regions.get(region), part.material)
        for region in dict.fromkeys((*regions, *part.regions))
        if region not in left_out
    ]
    if left_out:
        result.append([f"{len(left_out)} more regions are as the mesh."])
    return result


def _region(
    card: SheetCard, base: Path, region: str, wall: RegionWall | None, material: str
) -> Sentence:
    """One region: as thick, and of the material, stated for it or for the whole mesh."""
    here: Path = (*base, "regions", region)
    pieces: Pieces = [f"Region {region}:"]
    acts: list[Act | Choice] = []
    if wall is not None and wall.thickness is not None:
        pieces += [Number((*here, "thickness"), f"thickness of region {region}"), "thick,"]
        acts.append(_as_the_mesh(card, here, "thickness", wall.material is None))
    else:
        pieces.append("as thick as the mesh,")
        stated = str(card.sheet.value((*base, "thickness")))
        own = card.set_to((*here, "thickness"), stated)
        acts.append(Act("a thickness of its own", own, f"State how thick region {region} is"))
    made_of = None if wall is None else wall.material
    options = [
        (entry, card.set_to((*here, "material"), entry))
        for entry in (*card.sheet.content.materials, *handbook())
    ]
    pieces += ["of", Choice(made_of or material, tuple(options), f"material of region {region}")]
    if wall is not None and made_of is not None:
        acts.append(_as_the_mesh(card, here, "material", wall.thickness is None))
    return [*pieces, ".", Acts(tuple(acts))]


def _as_the_mesh(card: SheetCard, here: Path, key: str, alone: bool) -> Act:
    """Take back what is said of a region; the last word takes the region's entry along."""
    path = here if alone else (*here, key)
    region = here[-1]
    words = "as thick as the mesh" if key == "thickness" else "of the mesh's material"
    label = f"region {region} {words}"
    return Act(words, lambda: card.edit(label, lambda sheet: sheet.without(path)), label)


def skin_sentences(card: SheetCard, name: str, part: SkinPart, *more: Act) -> list[Sentence]:
    """A received skin: its file, and what thicknesses are stated or were measured."""
    base: Path = ("parts", name)
    first: Pieces = ["The walls", Name(base, name), f"of {part.file},"]
    if part.thickness is not None:
        first += [Number((*base, "thickness"), "thickness"), "thick."]
    else:
        first += ["as thick as measured."]
        more = (*more, Act("state a thickness", lambda: _state_thickness(card, base)))
    wall = card.session.design.part_of(name)
    sites = wall.features if isinstance(wall, SurfaceValue) else {}
    holes = [site for site in sites if site.startswith("hole") and site not in part.holes]
    given = tuple(
        (hole, lambda hole=hole: _state_diameter(card, base, hole)) for hole in holes[:_MOST_HOLES]
    )
    acts: list[Act | Choice] = list(more)
    if given:
        acts.append(Choice("another diameter…", given, "Give a round hole another diameter"))
    thick = tuple(
        (face, lambda face=face: _state_thickness(card, base, face))
        for face in [each for each in wall.region_names if each not in part.regions][:_MOST_HOLES]
    )
    if thick:
        acts.append(Choice("a face of its own thickness…", thick, "State how thick one face is"))
    result: list[Sentence] = [[*first, Acts(tuple(acts))]]
    for region in part.regions:
        stated = Number((*base, "regions", region, "thickness"), f"thickness of {region}")
        result.append([f"Of {region}:", stated, "thick."])
    for hole in part.holes:
        stated = Number((*base, "holes", hole, "diameter"), f"diameter of {hole}")
        result.append([f"{hole.capitalize()}:", stated, "wide."])
    return result


def _state_diameter(card: SheetCard, base: Path, hole: str) -> None:
    """Put the diameter a hole has into the sheet, where it can become a knob."""
    wall = card.session.design.part_of(str(base[1]))
    line = np.concatenate(place_lines(wall, wall.place_of(hole)))
    across = 2 * float(np.linalg.norm(line - line.mean(axis=0), axis=1).mean())
    told = card.session.design.shown.length_text(across, 4)
    card.edit(
        f"the diameter of {hole}",
        lambda sheet: sheet.with_value((*base, "holes", hole, "diameter"), told),
    )


def _thickness_of(wall: SurfaceValue, face: str) -> float:
    """How thick a skin is under one of its faces, in the middle of its pieces (m)."""
    shape = wall.shape
    assert isinstance(shape, Skin)
    middle = np.array([0.5])
    pieces = np.flatnonzero(shape.regions == shape.names.index(face)).tolist()
    return float(np.mean([wall.thickness.at(shape, piece, middle, middle) for piece in pieces]))


def _state_thickness(card: SheetCard, base: Path, face: str = "") -> None:
    """Put what was measured, of all or of one face, into the sheet, where it can become a knob."""
    wall = card.session.design.part_of(str(base[1]))
    assert isinstance(wall, SurfaceValue)
    thick = _thickness_of(wall, face) if face else wall.thickness.mean
    measured = card.session.design.shown.length_text(thick)
    path: Path = (*base, "regions", face, "thickness") if face else (*base, "thickness")
    card.edit("a thickness", lambda sheet: sheet.with_value(path, measured))

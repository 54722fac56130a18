"""Plates and shells in sentences: outline, holes, profile, wall, and where they stand."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Final

from belltone.desk.cards.card import Act, Acts, Choice, Name, Number, Piece, Sentence
from belltone.desk.cards.sheet_card import SheetCard
from belltone.sheet import part_models as models
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path

__all__ = ["plate_summary", "wall_sentences"]

Pieces = list[Piece]

_FIRST_OUTLINES: Final[dict[str, dict[str, Any]]] = {
    "rectangle": {"width": "400 mm", "height": "300 mm"},
    "rounded rectangle": {"width": "400 mm", "height": "300 mm", "radius": "40 mm"},
    "disc": {"diameter": "300 mm"},
    "ring": {"diameter": "300 mm", "bore": "100 mm"},
    "parallelogram": {"width": "400 mm", "side": "300 mm", "angle": "70 deg"},
    "polygon": {
        "points": [["-150 mm", "-100 mm"], ["150 mm", "-100 mm"], ["100 mm", "100 mm"]],
    },
    "contour": {
        "points": [
            {"at": ["-150 mm", "-100 mm"]},
            {"at": ["150 mm", "-100 mm"]},
            {"at": ["150 mm", "100 mm"], "through": ["200 mm", "0 mm"]},
            {"at": ["-150 mm", "100 mm"], "bend": "40 mm"},
        ],
    },
}
_MOST_POINTS: Final = 12  # in a sentence
_OUTLINE_WORDS: Final = {
    "width": "wide",
    "height": "high",
    "radius": "round at its corners",
    "diameter": "across",
    "bore": "across its bore",
    "side": "along its side",
    "angle": "between them",
}
_KIND_WORDS: Final = {
    "plate": "A plate",
    "revolved": "A shell of revolution",
    "extruded": "An extruded shell",
    "lofted": "A lofted shell",
}
_FACES: Final = {
    "middle": "its middle is drawn",
    "inner": "its inner face is drawn",
    "outer": "its outer face is drawn",
}
_DIRECTIONS: Final = {"plate": ("x", "y"), "revolved": ("profile", "around")}


def wall_sentences(
    card: SheetCard, name: str, part: models.SurfaceModel, *more: Act
) -> list[Sentence]:
    """The sentences of a plate or shell; ``more`` is what else can be done with it."""
    base: Path = ("parts", name)
    if isinstance(part, models.Plate):
        result = _plate(card, base, name, part, *more)
    else:
        result = _shell(card, base, name, part, *more)
    result.append(_wall(card, base, part))
    if part.plies is not None:
        result += _plies(card, base, part.plies)
    return result + _placement(base, part.placement)


def plate_summary(name: str, part: models.Plate) -> Sentence:
    """The plate in one sentence: its sizes, its thickness and how many holes."""
    path: Path = ("parts", name, "outline")
    shape = part.outline.shape
    pieces: Pieces = [f"“{name}”: {shape}"]
    sizes = [key for key in _FIRST_OUTLINES[shape] if key in _OUTLINE_WORDS]
    for place, key in enumerate(sizes):
        pieces += [*(["×"] if place else []), Number((*path, key), key)]
    if part.plies is not None:
        pieces.append(f", {len(part.plies)} plies")
    elif isinstance(part.thickness, models.ChangingThickness):
        thick: Path = ("parts", name, "thickness")
        pieces += [",", Number((*thick, "from"), "thickness"), "to"]
        pieces += [Number((*thick, "to"), "thickness"), "thick"]
    else:
        pieces += [",", Number(("parts", name, "thickness"), "thickness"), "thick"]
    holes = len(part.holes)
    if holes:
        pieces.append(f", {holes} hole{'s' if holes > 1 else ''}")
    return [*pieces, "."]


def _plate(
    card: SheetCard, base: Path, name: str, part: models.Plate, *more: Act
) -> list[Sentence]:
    path: Path = (*base, "outline")
    shape = part.outline.shape
    options = tuple(
        (word, _reshape(card, path, word)) for word in models.OUTLINE_SHAPES if word != shape
    )
    first: Pieces = [
        "A plate",
        Name(base, name),
        ":",
        Choice(shape, options, "shape of the outline"),
    ]
    if isinstance(part.outline, models.Polygon):
        first.append(f"of {len(part.outline.points)} corners:")
        for index in range(len(part.outline.points)):
            first += [
                Number((*path, "points", index, 0), f"corner {index + 1}, x"),
                Number((*path, "points", index, 1), f"corner {index + 1}, y"),
                ";" if index < len(part.outline.points) - 1 else ".",
            ]
    elif isinstance(part.outline, models.Contour):
        first += _points(path, part.outline.points)
    else:
        keys = [key for key in _FIRST_OUTLINES[shape] if key in _OUTLINE_WORDS]
        for key in keys:
            first += [Number((*path, key), key), _OUTLINE_WORDS[key]]
            first.append("." if key == keys[-1] else ",")
    cut = tuple(
        (
            f"a {hole} hole",
            lambda hole=hole: card.edit("a hole", lambda s: _with_hole(s, base, hole)),
        )
        for hole in ("round", "rectangular")
    )
    first.append(Acts((Choice("cut a hole…", cut, "Cut a hole into the plate"), *more)))
    return [first, *(_hole(card, base, i, hole) for i, hole in enumerate(part.holes))]


def _points(path: Path, points: Sequence[models.ProfilePoint]) -> Pieces:
    """The points of a contour; of one with many, as drawings have, how many there are."""
    if len(points) > _MOST_POINTS:
        arcs = sum(point.through is not None for point in points)
        return [f"of {len(points)} points, {arcs} of them reached by arcs", "."]
    pieces: Pieces = [f"of {len(points)} points:"]
    for index, point in enumerate(points):
        here: Path = (*path, "points", index)
        pieces += [
            Number((*here, "at", 0), f"point {index + 1}, x"),
            Number((*here, "at", 1), f"point {index + 1}, y"),
        ]
        if point.bend is not None:
            pieces += ["rounded by", Number((*here, "bend"), f"bend at point {index + 1}")]
        pieces.append(";" if index < len(points) - 1 else ".")
    return pieces


def _hole(card: SheetCard, base: Path, index: int, hole: models.HoleModel) -> Sentence:
    path: Path = (*base, "holes", index)
    pieces: Pieces = ["Hole", Name(path, hole.name), ":"]
    if isinstance(hole, models.RoundHole):
        pieces += ["round,", Number((*path, "diameter"), "diameter"), "across,"]
    elif isinstance(hole, models.ContourHole):
        pieces += _points(path, hole.points)[:-1]
        pieces.append(";")
    else:
        pieces += [Number((*path, "width"), "width"), "by", Number((*path, "height"), "height")]
        pieces.append(",")
    pieces += ["at x", Number((*path, "at", 0), "x"), ", y", Number((*path, "at", 1), "y"), "."]
    pieces.append(Acts((card.remove_act(path, "hole"),)))
    return pieces


def _with_hole(sheet: Sheet, base: Path, shape: str) -> Sheet:
    holes = sheet.value((*base, "holes")) or []
    names = {hole.get("name") for hole in holes}
    number = next(n for n in range(1, len(holes) + 2) if f"hole {n}" not in names)
    entry: dict[str, Any] = {"name": f"hole {number}", "shape": shape, "at": ["0 mm", "0 mm"]}
    if shape == "round":
        entry |= {"diameter": "60 mm"}
    else:
        entry |= {"width": "80 mm", "height": "50 mm"}
    return sheet.with_value((*base, "holes"), [*holes, entry])


def _reshape(card: SheetCard, path: Path, shape: str) -> Callable[[], None]:
    def change(sheet: Sheet) -> Sheet:
        old = sheet.value(path) or {}
        fresh = {key: old.get(key, size) for key, size in _FIRST_OUTLINES[shape].items()}
        return sheet.with_value(path, {"shape": shape, **fresh})

    return lambda: card.edit(f"outline {shape}", change)


def _shell(
    card: SheetCard,
    base: Path,
    name: str,
    part: models.Revolved | models.Extruded | models.Lofted,
    *more: Act,
) -> list[Sentence]:
    first: Pieces = [_KIND_WORDS[part.kind], Name(base, name), ","]
    if isinstance(part, models.Extruded):
        first += [Number((*base, "length"), "length"), "long,"]
    elif isinstance(part, models.Lofted):
        first += [Number((*base, "span"), "span"), "long,"]
        first += _stated(card, base, "twist", "0 deg", "twisted by", ",")
        first += _stated(card, base, "taper", "1", "tapered to", "of its size,")
    else:
        first += _stated(card, base, "turn", "360 deg", "turned through", ",")
    closed = card.sheet.value((*base, "closed")) is True
    flip = Act(
        "open the profile" if closed else "close the profile",
        lambda: card.edit("profile", lambda s: s.with_value((*base, "closed"), not closed)),
    )
    first += ["from a closed profile." if closed else "from an open profile."]
    first.append(Acts((flip, *more)))
    axes = ("radius", "height") if isinstance(part, models.Revolved) else ("y", "z")
    result: list[Sentence] = [first, _profile(card, (*base, "profile"), part.profile, axes)]
    if isinstance(part, models.Lofted) and part.profile_at_end is not None:
        result.append(
            ["At its end:", *_profile(card, (*base, "profile_at_end"), part.profile_at_end, axes)]
        )
    return result


def _stated(card: SheetCard, base: Path, key: str, first: str, before: str, after: str) -> Pieces:
    """A value with a default: its number where it is stated, a way to state it where not."""
    if card.sheet.value((*base, key)) is not None:
        return [before, Number((*base, key), key), after]
    act = Act(
        f"{before} {first}{after if after == ',' else ' ' + after}",
        lambda: card.edit(key, lambda sheet: sheet.with_value((*base, key), first)),
        f"State the {key}",
    )
    return [act]


def _profile(
    card: SheetCard, path: Path, points: tuple[models.ProfilePoint, ...], axes: tuple[str, str]
) -> Sentence:
    pieces: Pieces = [f"Corners ({axes[0]}, {axes[1]}):"]
    for index, point in enumerate(points):
        here: Path = (*path, index)
        if point.through is not None:
            pieces.append("by an arc over")
            pieces += [Number((*here, "through", k), f"arc, {axes[k]}") for k in (0, 1)]
            pieces.append("to")
        pieces += [Number((*here, "at", k), f"corner {index + 1}, {axes[k]}") for k in (0, 1)]
        if point.bend is not None:
            pieces += ["bent", Number((*here, "bend"), f"bend {index + 1}")]
        pieces.append("." if index == len(points) - 1 else ";")
    last = len(points) - 1
    acts: list[Act | Choice] = [
        Act("add a corner", lambda: card.edit("a corner", _longer(path))),
    ]
    if last > 1:
        acts.append(
            Act("take the last away", lambda: card.edit("corner", _without(path, last)), "Corner")
        )
    bendable = [i for i in range(1, last) if points[i].bend is None and points[i].through is None]
    bends = tuple((f"corner {i + 1}", _set_bend(card, (*path, i, "bend"))) for i in bendable)
    if bends:
        acts.append(Choice("round…", bends, "Round a corner"))
    return [*pieces, Acts(tuple(acts))]


def _set_bend(card: SheetCard, path: Path) -> Callable[[], None]:
    return lambda: card.edit("a bend", lambda sheet: sheet.with_value(path, "5 mm"))


def _longer(path: Path) -> Callable[[Sheet], Sheet]:
    """One more corner, a hand's width on from the last."""

    def change(sheet: Sheet) -> Sheet:
        points = sheet.value(path)
        last = points[-1]["at"]
        return sheet.with_value(path, [*points, {"at": [last[0], f"{last[1]} + 50 mm"]}])

    return change


def _without(path: Path, index: int) -> Callable[[Sheet], Sheet]:
    return lambda sheet: sheet.without((*path, index))


_WAYS: Final = {
    "x": "along x",
    "y": "along y",
    "profile": "along the profile",
    "around": "round the axis",
    "along": "along the length",
}
"""Which way a thickness changes."""


def _wall(card: SheetCard, base: Path, part: models.SurfaceModel) -> Sentence:
    path: Path = (*base, "thickness")
    faces = tuple((words, card.set_to((*base, "face"), word)) for word, words in _FACES.items())
    pieces: Pieces = []
    acts: list[Act | Choice] = []
    if part.plies is not None:
        pieces += [f"{len(part.plies)} plies;"]
    elif isinstance(part.thickness, models.ChangingThickness):
        pieces += ["From", Number((*path, "from"), "thickness"), "to"]
        pieces += [Number((*path, "to"), "thickness"), f"thick, {_WAYS[part.thickness.along]};"]
        even = str(part.thickness.start)
        acts.append(Act("make it even", card.set_to(path, even), "The same thickness everywhere"))
    else:
        pieces += [Number(path, "thickness"), "thick;"]
        even = str(part.thickness)
        ways = tuple(
            (_WAYS[along], card.set_to(path, {"from": even, "to": even, "along": along}))
            for along in _DIRECTIONS.get(part.kind, ("profile", "along"))
        )
        acts.append(Choice("let it change…", ways, "A thickness that changes"))
    pieces += [Choice(_FACES[part.face], faces, "which face of the wall the shape describes")]
    if part.mass_per_area is not None:
        pieces += [", with", Number((*base, "mass_per_area"), "mass per area"), "on it"]
    else:
        lined = card.set_to((*base, "mass_per_area"), "1 kg/m^2")
        acts.append(Act("line it", lined, "Give it mass per area, such as a lining"))
    return [*pieces, ".", Acts(tuple(acts))]


def _plies(card: SheetCard, base: Path, plies: tuple[models.Ply, ...]) -> list[Sentence]:
    result: list[Sentence] = []
    for index, ply in enumerate(plies):
        path: Path = (*base, "plies", index)
        pieces: Pieces = [f"Ply {index + 1}:", f"{ply.material},"]
        pieces += [Number((*path, "thickness"), "thickness")]
        if card.sheet.value((*path, "angle")) is not None:
            pieces += ["at", Number((*path, "angle"), "angle")]
        else:
            pieces += [Act("at 0 deg", card.set_to((*path, "angle"), "0 deg"), "State the angle")]
        acts = [Act("one more like it", lambda i=index: _double(card, base, i))]  # type: ignore[misc]
        if len(plies) > 1:
            acts.append(card.remove_act(path, "ply"))
        result.append([*pieces, ".", Acts(tuple(acts))])
    return result


def _double(card: SheetCard, base: Path, index: int) -> None:
    def change(sheet: Sheet) -> Sheet:
        plies = sheet.value((*base, "plies"))
        return sheet.with_value((*base, "plies"), [*plies[: index + 1], *plies[index:]])

    card.edit("a ply", change)


def _placement(base: Path, placement: models.Placement | None) -> list[Sentence]:
    if placement is None:
        return []
    pieces: Pieces = []
    if placement.at is not None:
        pieces += ["It stands at"]
        pieces += [Number((*base, "placement", "at", i), f"place, {'xyz'[i]}") for i in range(3)]
    if placement.turn is not None:
        pieces += [", turned by" if pieces else "It is turned by"]
        pieces += [Number((*base, "placement", "turn", i), f"turn, {'xyz'[i]}") for i in range(3)]
        pieces.append("about x, y, z")
    return [[*pieces, "."]] if pieces else []

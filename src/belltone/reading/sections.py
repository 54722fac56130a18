"""Sections of members worked out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

from belltone.geometry.outlines import polygon_problem
from belltone.geometry.profiles import Profile, ProfileError, rounded
from belltone.geometry.shapes import Polygon
from belltone.reading.numbers import Values
from belltone.sections import rolled as rolled
from belltone.sections import simple as sections
from belltone.sections.solid import outline_moments
from belltone.sheet import part_models as models
from belltone.sheet.errors import Path

__all__ = ["read_profile", "read_section"]

_SHAPES: Final[Mapping[str, type[sections.SectionShape]]] = {
    "solid rectangle": sections.SolidRectangle,
    "solid round": sections.SolidRound,
    "round tube": sections.RoundTube,
    "rectangular hollow": sections.RectangularHollow,
    "ellipse": rolled.Ellipse,
    "i profile": rolled.ISection,
    "channel": rolled.ChannelSection,
    "angle": rolled.AngleSection,
    "tee": rolled.TeeSection,
}


def read_section(
    values: Values, path: Path, section: models.SectionModel
) -> sections.SectionShape | None:
    """One section, or ``None`` with findings."""
    before = len(values.findings)
    factor = _shear_factor(values, path, section)
    if isinstance(section, models.StatedProperties):
        return _stated(values, path, section)
    if isinstance(section, models.ThinWalled):
        wall = values.positive((*path, "wall"), "the wall")
        profile = read_profile(values, (*path, "profile"), section.profile, section.closed)
        if profile is None or len(values.findings) > before:
            return None
        return rolled.MidlineSection(profile, wall, factor)
    if isinstance(section, models.SolidOutline):
        return _outline(values, path, section, factor)
    size: dict[str, float] = {
        key: values.positive((*path, key), f"the {key}")
        for key in type(section).model_fields
        if key not in ("shape", "shear_factor")
    }
    if len(values.findings) == before:
        _check_walls(values, path, section, size)
    if len(values.findings) > before:
        return None
    return _SHAPES[section.shape](**size, shear_factor=factor)  # type: ignore[call-arg]


def _shear_factor(values: Values, path: Path, section: models.SectionModel) -> float | None:
    if getattr(section, "shear_factor", None) is None:
        return None
    here = (*path, "shear_factor")
    return values.within(here, 0.01, 1.5, "a shear factor between 0.01 and 1.5", 1.0)


def _check_walls(
    values: Values, path: Path, section: models.SectionModel, size: Mapping[str, float]
) -> None:
    """Walls must leave room for what they enclose."""
    if "flange" in size:
        one_flange = isinstance(section, models.TeeProfile)
        _fits(values, (*path, "flange"), size["flange"], size["height"], 1 if one_flange else 2)
        _fits(values, (*path, "web"), size["web"], size["width"], 1)
    elif "wall" in size:
        outer = min(size[key] for key in ("width", "height", "diameter") if key in size)
        legs = isinstance(section, models.AngleProfile)
        _fits(values, (*path, "wall"), size["wall"], outer, 1 if legs else 2)


def _fits(values: Values, path: Path, wall: float, outer: float, times: int) -> None:
    if not times * wall < outer:
        values.add(
            path,
            f"a {path[-1]} of {wall * 1e3:g} mm does not fit into {outer * 1e3:g} mm; "
            f"it must be below {outer * 1e3 / times:g} mm",
        )


def _stated(
    values: Values, path: Path, section: models.StatedProperties
) -> sections.SectionShape | None:
    before = len(values.findings)
    keys = ("area", "second_moment_y", "second_moment_z", "torsion_constant")
    size = [values.positive((*path, key), f"“{key}”") for key in keys]
    factors = [
        values.within(
            (*path, f"shear_factor_{axis}"), 0.01, 1.5, "a shear factor between 0.01 and 1.5", 5 / 6
        )
        for axis in "yz"
    ]
    product = values.numbers.get((*path, "product_moment"), 0.0)
    if len(values.findings) == before and product**2 >= size[1] * size[2]:
        limit = (size[1] * size[2]) ** 0.5
        values.add(
            (*path, "product_moment"),
            f"this product moment is impossible; it must be below {limit * 1e12:.4g} mm^4, the "
            "root of the second moments' product",
        )
    centre = (0.0, 0.0)
    if section.shear_centre is not None:
        here = [values.numbers.get((*path, "shear_centre", axis), 0.0) for axis in (0, 1)]
        centre = (here[0], here[1])
    if len(values.findings) > before:
        return None
    return rolled.StatedSection(
        size[0], size[1], size[2], size[3], factors[0], factors[1], product, centre[0], centre[1]
    )


def _outline(
    values: Values, path: Path, section: models.SolidOutline, factor: float | None
) -> sections.SectionShape | None:
    here: Path = (*path, "points")
    points = tuple(
        (values.numbers[(*here, index, 0)], values.numbers[(*here, index, 1)])
        for index in range(len(section.points))
    )
    problem = polygon_problem(Polygon(points))
    if problem is not None:
        values.add(here, problem)
        return None
    area = outline_moments(points)[0] if _spans(points) else 0.0
    if area < 0:
        points, area = points[::-1], -area
    if not area > 0:
        values.add(here, "the outline encloses nothing")
        return None
    return rolled.OutlineSection(points, factor)


def _spans(points: Sequence[tuple[float, float]]) -> bool:
    """Whether the points are not all on one line."""
    (ax, ay), *rest = points
    crossed = [
        abs((bx - ax) * (cy - ay) - (by - ay) * (cx - ax)) for bx, by in rest for cx, cy in rest
    ]
    return max(crossed, default=0.0) > 0


def read_profile(
    values: Values, path: Path, points: Sequence[models.ProfilePoint], closed: bool
) -> Profile | None:
    """A plane profile of lines and arcs, or ``None`` with findings."""
    places: list[tuple[float, float]] = []
    bends: list[float] = []
    through: list[tuple[float, float] | None] = []
    for index, point in enumerate(points):
        here: Path = (*path, index)
        places.append((values.numbers[(*here, "at", 0)], values.numbers[(*here, "at", 1)]))
        bends.append(values.numbers.get((*here, "bend"), 0.0))
        if bends[-1] < 0:
            values.add((*here, "bend"), "a bend radius must not be negative")
            return None
        middle = None
        if point.through is not None:
            middle = (
                values.numbers[(*here, "through", 0)],
                values.numbers[(*here, "through", 1)],
            )
        through.append(middle)
    if not closed and through[0] is not None:
        values.add((*path, 0, "through"), "nothing leads to the first point of a profile")
        return None
    try:
        return rounded(places, bends, through, closed)
    except ProfileError as error:
        values.add((*path, error.index), str(error))
        return None

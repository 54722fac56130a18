"""What loads a component before it vibrates, still as text."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from belltone.sheet.fields import (
    Acceleration,
    Angle,
    Entry,
    Force,
    Length,
    Moment,
    Name,
    Number,
    Pressure,
    PressureGrowth,
    Speed,
    Temperature,
    WarmthChange,
)
from belltone.sheet.part_models import Vector

__all__ = [
    "Preload",
    "PreloadForce",
    "PreloadMove",
    "PreloadPressure",
    "PreloadPull",
    "PreloadSpin",
    "PreloadTurn",
    "PreloadWarmth",
]


class PreloadForce(Entry):
    """A force, a moment or both on a site; on an edge or a face the whole of it, spread evenly.

    Directions are the sheet's and stay while the component deflects, unless ``axes = "own"``: then
    they are the site's own, as they are before anything is loaded.
    """

    site: Name
    force: tuple[Force, Force, Force] | None = None
    moment: tuple[Moment, Moment, Moment] | None = None
    axes: Literal["own", "sheet"] = "sheet"
    name: str = ""


class PreloadPressure(Entry):
    """A pressure on the ``inner`` or ``outer`` face of a wall; the normal points to the outer one.

    It follows the surface as that turns and grows, unless ``follows`` is false: then it keeps the
    direction and the area it had before. With ``growth`` (pressure for each length along x, y, z)
    it is the stated one at ``level`` and changes evenly from there, as under a liquid; where that
    makes it negative there is none, unless ``suction`` is true.
    """

    site: Name
    pressure: Pressure
    on: Literal["inner", "outer"]
    follows: bool = True
    growth: tuple[PressureGrowth, PressureGrowth, PressureGrowth] | None = None
    level: Vector | None = None
    suction: bool = False
    name: str = ""


class PreloadSpin(Entry):
    """Turning at a steady speed about an axis; frequencies are those felt on the part.

    ``gyroscopic`` adds what turning does to moving mass, which parts whirling with the spin from
    whirling against it. ``seen_from = "ground"`` tells the frequencies as felt beside a body that
    is round about its axis. ``speeds`` and ``orders`` are those of the speed diagram.
    """

    speed: Speed
    axis: Literal["x", "y", "z"] | tuple[float, float, float] = "z"
    through: Vector | None = None
    gyroscopic: bool = False
    seen_from: Literal["part", "ground"] = "part"
    speeds: tuple[Speed, Speed] | None = None
    orders: Annotated[tuple[Annotated[float, Field(gt=0)], ...], Field(min_length=1)] = (
        1.0,
        2.0,
        3.0,
        4.0,
    )


class PreloadWarmth(Entry):
    """A part that gets warmer (or colder), all of it; without ``part`` every part.

    By a ``change``, or ``from`` one temperature ``to`` another.
    """

    part: Name | None = None
    change: WarmthChange | None = None
    start: Temperature | None = Field(default=None, alias="from")
    stop: Temperature | None = Field(default=None, alias="to")


class PreloadPull(Entry):
    """A member put under tension: what it would carry were both its ends held fast."""

    part: Name
    force: Force


class PreloadTurn(Entry):
    """Turns about the sheet's axes."""

    x: Angle | None = None
    y: Angle | None = None
    z: Angle | None = None


class PreloadMove(Entry):
    """A site set to a displacement, and held there; directions not named are left as they are."""

    site: Name
    x: Length | None = None
    y: Length | None = None
    z: Length | None = None
    turn: PreloadTurn | None = None


class Preload(Entry):
    """All that loads the component before it vibrates.

    ``scale`` multiplies every load (a speed grows with its root). With ``deflection = "small"`` the
    shape stays and stress alone counts; with ``"large"`` modes are those of the deflected shape.
    ``acceleration`` pulls at every mass: weight is 9.81 m/s^2 downwards.
    """

    scale: Number = "1"
    deflection: Literal["small", "large"] = "small"
    applied: bool = True
    acceleration: tuple[Acceleration, Acceleration, Acceleration] | None = None
    spin: PreloadSpin | None = None
    forces: tuple[PreloadForce, ...] = ()
    pressures: tuple[PreloadPressure, ...] = ()
    warmths: tuple[PreloadWarmth, ...] = ()
    pulls: tuple[PreloadPull, ...] = ()
    moves: tuple[PreloadMove, ...] = ()

"""Files and films of a sheet, made for the command line and the window alike."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Final, Literal

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.errors import UserError
from belltone.exchange.gathered import gather, held, solved
from belltone.exchange.measurements import measured_of
from belltone.files import same_file, write_text, writing
from belltone.modes.modeset import ModeSet
from belltone.progress import Progress
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.model import ReportPart
from belltone.store.results import ResultStore
from belltone.sweep.plan import parse_plan
from belltone.sweep.runner import Sweep, run_sweep
from belltone.system.kinds import location

if TYPE_CHECKING:
    from belltone.drawing.colours import Palette
    from belltone.drawing.stills import View
    from belltone.exchange.films import Reel

__all__ = [
    "CHARTS",
    "ENDINGS",
    "PICTURES",
    "Filmed",
    "HandedError",
    "Pictured",
    "What",
    "hand_over_files",
    "hand_over_film",
    "hand_over_picture",
    "wrong",
]

What = Literal["shapes", "state", "surface", "outline", "matrices"]

ENDINGS: Final[Mapping[What, tuple[str, ...]]] = {
    "shapes": (".vtu", ".unv", ".pvd"),
    "state": (".vtu",),
    "surface": (".stl", ".vtu", ".ply", ".obj"),
    "outline": (".dxf",),
    "matrices": (".mtx",),
}
"""What each can be written as, by the ending of the file."""


CHARTS: Final = ("ruler", "one knob", "two knobs")
PICTURES: Final = ("component", "mode", "displacement", "stress", "buckling", *CHARTS)
"""What there are pictures of; the last three are charts."""


class HandedError(UserError):
    """Something that cannot be handed over as asked."""


@dataclass(frozen=True)
class Filmed:
    """What a film shows: modes by their numbers, or ``every``; or one of them ``over`` a knob."""

    numbers: tuple[int, ...] = ()
    every: bool = False
    over: str = ""


@dataclass(frozen=True)
class Pictured:
    """What a picture shows: one of `PICTURES`, and which mode or buckling shape, from 1."""

    what: str
    number: int = 1


def wrong(what: What, target: Path) -> str:
    """Why a file cannot be written as asked by its ending, in words; nothing where it can."""
    if target.suffix.lower() in ENDINGS[what]:
        return ""
    endings = " or ".join(ENDINGS[what])
    return f"“{target}” does not say how to write {what}: its ending must be {endings}"


def hand_over_files(
    sheet: Sheet,
    what: What,
    target: Path,
    kept: Sequence[Path],
    store: ResultStore,
    progress: Progress,
    workers: Executor,
    unit: str = "mm",
    sites: Sequence[str] = (),
    over: str = "",
) -> list[Path]:
    """Write shapes, the state, the surface, the outline or the matrices; returns the files.

    Nothing of ``kept`` is replaced. Lengths of surfaces and outlines are in ``unit``; a universal
    file tells shapes at ``sites``, or at all points; ``over`` a knob they are a series. Raises
    `HandedError`, ``OSError``, and what solving raises.
    """
    # Each loads libraries of its own.
    if problem := wrong(what, target):
        raise HandedError(problem)
    design, ending = evaluate(sheet), target.suffix.lower()
    if what == "surface":
        from belltone.exchange.grids import write_surface_grid
        from belltone.exchange.surfaces import write_surface

        if ending == ".vtu":
            write_surface_grid(design, target)
        else:
            write_surface(design, target, unit)
        return [target]
    if what == "outline":
        from belltone.exchange.surfaces import write_outline

        write_outline(design, target, unit)
        return [target]
    if ending == ".pvd":
        return _series(sheet, design, target, kept, store, progress, workers, over)
    if what == "state" and design.preload is None:
        raise HandedError("nothing loads the component, so there is no loaded state to write")
    found = solved(sheet, design, store, progress)
    if what == "matrices":
        from belltone.exchange.matrices import matrix_files, write_matrices

        _spare(matrix_files(target), kept)
        return write_matrices(design, found.discretisation, target, progress)
    if what == "state":
        from belltone.exchange.grids import write_state

        assert found.base is not None
        write_state(design, found, found.base, target)
    elif ending == ".unv":
        from belltone.compare.likeness import Side
        from belltone.compare.measured import modes_at
        from belltone.exchange.universal import write_universal

        write_universal(modes_at(Side("", design, found), _positions(design, sites)), target)
    else:
        from belltone.exchange.grids import write_shapes

        write_shapes(design, found, target)
    return [target]


def hand_over_film(
    sheet: Sheet,
    shown: Filmed,
    reel: Reel,
    target: Path,
    store: ResultStore,
    progress: Progress,
    workers: Executor,
) -> None:
    """Make a film of modes, or of one as a knob is turned.

    Raises `HandedError`, ``OSError``, what solving raises, and ``Cancelled``.
    """
    from belltone.exchange.films import ENDINGS as FILMS
    from belltone.exchange.films import film_modes, film_sweep

    if target.suffix.lower() not in FILMS:
        raise HandedError(
            f"“{target}” does not say how to write a film: its ending must be {' or '.join(FILMS)}"
        )
    if not shown.numbers and not shown.every:
        raise HandedError("say which mode: “--mode 3”, or “--all” of them")
    if shown.over and (shown.every or len(shown.numbers) != 1):
        raise HandedError("along a knob one mode is shown: give “--mode” once, and not “--all”")
    design = evaluate(sheet)
    if not shown.over:
        found = solved(sheet, design, store, progress)
        count = len(found.flexible)
        numbers = range(1, count + 1) if shown.every else shown.numbers
        for number in numbers:
            if number > count:
                raise HandedError(f"there is no mode {number}: {count} were found")
        places = [found.rigid_count + number - 1 for number in numbers]
        film_modes(design, found, places, reel, target, progress)
        return
    sweep, designs = _swept(sheet, design, shown.over, store, progress, workers)
    (number,) = shown.numbers
    film_sweep(sweep, designs, _branch_of(sweep, number), reel, target, progress)


def _branch_of(sweep: Sweep, number: int) -> int:
    """The branch (from 1) that a mode of the design is on, told where it comes nearest."""
    known = [at for at, found in enumerate(sweep.sets) if found is not None]
    nearest = min(known, key=lambda at: abs(float(sweep.values[at]) - sweep.knob.value))
    found = sweep.sets[nearest]
    skipped = found.skipped if isinstance(found, ModeSet) else 0
    for branch, own in enumerate(sweep.branches, start=1):
        if own.places[nearest] == number - 1 - skipped:
            return branch
    raise HandedError(f"there is no mode {number} that could be followed over {sweep.knob.name}")


def hand_over_picture(
    sheet: Sheet,
    shown: Pictured,
    view: View,
    target: Path,
    store: ResultStore,
    progress: Progress,
    workers: Executor,
    palette: Palette,
) -> None:
    """Take a picture of the component (PNG) or of a chart (SVG, PNG).

    Raises `HandedError`, ``OSError``, what solving raises, and ``Cancelled``.
    """
    ending = target.suffix.lower()
    endings = (".svg", ".png") if shown.what in CHARTS else (".png",)
    if ending not in endings:
        raise HandedError(
            f"“{target}” does not say how to write {shown.what}: its ending must be "
            f"{' or '.join(endings)}"
        )
    if shown.what in CHARTS:
        _chart(sheet, shown.what, view, target, store, progress, workers, palette)
        return
    from belltone.drawing.shown import Shown
    from belltone.drawing.stills import taking
    from belltone.exchange.films import written_over

    design = evaluate(sheet)
    if shown.what not in ("component", "mode") and design.preload is None:
        raise HandedError("nothing loads the component, so there is no loaded state")
    modes = solved(sheet, design, store, progress)
    with taking(design, modes, view, palette) as still:
        if shown.what == "component":
            pixels = still.rest()
        elif shown.what == "mode":
            count = len(modes.flexible)
            if not 1 <= shown.number <= count:
                raise HandedError(f"there is no mode {shown.number}: {count} were found")
            place = modes.rigid_count + shown.number - 1
            pixels = still.mode(place)
            if view.headroom:
                pixels = written_over(pixels, design, modes, place, view, palette)
        else:
            assert modes.base is not None
            if shown.what == "buckling" and shown.number > len(modes.base.factors):
                raise HandedError(f"{len(modes.base.factors)} buckling shapes were found")
            kind = {"displacement": "moved", "stress": "stress"}.get(shown.what, "buckling")
            pixels = still.state(Shown(kind, shown.number - 1 if kind == "buckling" else None))
    _write_png(pixels if view.transparent else pixels[..., :3], target)


def _chart(
    sheet: Sheet,
    what: str,
    view: View,
    target: Path,
    store: ResultStore,
    progress: Progress,
    workers: Executor,
    palette: Palette,
) -> None:
    from belltone.drawing.charts import (
        as_pixels,
        as_svg,
        branch_chart,
        plane_chart,
        ruler_chart,
    )

    parts: dict[str, ReportPart] = {"one knob": "one knob", "two knobs": "two knobs"}
    asked = [parts[what]] if what in parts else []
    if not set(asked).issubset(held(sheet, evaluate(sheet), pinned=False)):
        wanted = "a knob" if what == "one knob" else "a band and two knobs"
        raise HandedError(
            f"“{what}” cannot be drawn of this sheet: it needs {wanted}; the value of a knob of a "
            "chart must be a plain one"
        )
    found = gather(sheet, None, asked, workers, store, progress)
    size = view.width, view.height
    if what == "ruler":
        told = measured_of(sheet)
        measured = () if told is None else told.frequencies.tolist()
        figure = ruler_chart(found.design, found.modes, *size, measured=measured, palette=palette)
    elif what == "one knob":
        assert found.sweep is not None
        figure = branch_chart(found.sweep, found.design, found.intervals, *size, palette=palette)
    else:
        assert found.plane is not None
        figure = plane_chart(found.plane, found.design, *size, palette=palette)
    if target.suffix.lower() == ".svg":
        write_text(f'<?xml version="1.0" encoding="utf-8"?>\n{as_svg(figure)}', target)
    else:
        _write_png(as_pixels(figure), target)


def _write_png(pixels: NDArray[np.uint8], target: Path) -> None:
    from PIL import Image

    with writing(target) as place:
        Image.fromarray(np.ascontiguousarray(pixels)).save(place, format="PNG")


def _series(
    sheet: Sheet,
    design: Design,
    target: Path,
    kept: Sequence[Path],
    store: ResultStore,
    progress: Progress,
    workers: Executor,
    over: str,
) -> list[Path]:
    from belltone.exchange.grids import series_files, write_shape_series

    if not over:
        raise HandedError(
            "a file “….pvd” lists shapes along a knob: say which, and from where to where"
        )
    sweep, designs = _swept(sheet, design, over, store, progress, workers)
    _spare(series_files(target, len(sweep.values)), kept)
    return write_shape_series(sweep, designs, target)


def _swept(
    sheet: Sheet,
    design: Design,
    over: str,
    store: ResultStore,
    progress: Progress,
    workers: Executor,
) -> tuple[Sweep, list[Design | None]]:
    """A sweep of which every point is solved, since only those have shapes, and its designs."""
    sweep = run_sweep(sheet, parse_plan(over, design), workers, store, progress)
    family = DesignFamily(sheet)
    designs = [
        family.at(sweep.knob.turned(float(value))) if found is not None else None
        for value, found in zip(sweep.values, sweep.sets, strict=True)
    ]
    return sweep, designs


def _positions(design: Design, sites: Sequence[str]) -> NDArray[np.float64] | None:
    """Where the sites named are; all points where none is."""
    if not sites:
        return None
    for site in sites:
        if site not in design.places:
            known = ", ".join(f"“{name}”" for name in design.places)
            raise HandedError(f"“{site}” is no site of this sheet; there are {known}")
    return np.array([location(design, design.places[site]) for site in sites])


def _spare(files: Sequence[Path], kept: Sequence[Path]) -> None:
    """Refuse to write over what is read."""
    for file in files:
        for each in kept:
            if same_file(file, each):
                raise HandedError(f"“{file}” would replace “{each}”, which is read here")

"""Films: one mode, several, or one as a knob is turned; and pictures."""

from __future__ import annotations

import re
from concurrent.futures import ThreadPoolExecutor
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.inputs import read_input, set_places
from belltone.cli.messages import note, warn
from belltone.cli.options import Settings, SheetPath
from belltone.cli.waiting import progress_shown
from belltone.drawing.display import prepare_display
from belltone.reading.family import evaluate
from belltone.store.results import ResultStore, store_path

_SIZE = re.compile(r"(\d{2,4})\s*[x×]\s*(\d{2,4})")
_LEAST, _MOST = 64, 4096  # pixels


class From(StrEnum):
    """Where the component is looked at from."""

    CORNER = "corner"
    X = "x"
    Y = "y"
    Z = "z"


Amplitude = Annotated[
    float, typer.Option("--amplitude", min=0.05, max=4.0, help="How far it is drawn to move.")
]
Seen = Annotated[From, typer.Option("--from", help="Look along an axis.")]
Bare = Annotated[bool, typer.Option("--bare", help="No words, no supports: the component alone.")]
Dark = Annotated[bool, typer.Option("--dark", help="In lamp-lit colours.")]


class Colour(StrEnum):
    """What colours of a mode stand for."""

    MOTION = "motion"
    ENERGY = "energy"
    KINETIC = "kinetic"


class Cycle(StrEnum):
    """How much of a cycle is seen."""

    FULL = "full"
    HALF = "half"


def film(
    sheet: SheetPath,
    output: Annotated[
        Path, typer.Option("-o", "--output", metavar="FILE", help="Where to write: .mp4 or .gif.")
    ],
    modes: Annotated[
        list[int] | None,
        typer.Option("--mode", metavar="N", min=1, help="A mode; may be given again."),
    ] = None,
    every: Annotated[bool, typer.Option("--all", help="All modes, one after another.")] = False,
    over: Annotated[
        str | None,
        typer.Option(
            "--over", metavar="KNOB=START:STOP:POINTS", help="The mode as this knob is turned."
        ),
    ] = None,
    settings: Settings = None,
    size: Annotated[str, typer.Option("--size", metavar="WxH", help="In pixels.")] = "1280x720",
    frames: Annotated[
        int | None,
        typer.Option("--frames", min=2, max=2000, help="In a cycle; with “--over”, at each value."),
    ] = None,
    cycles: Annotated[int, typer.Option("--cycles", min=1, max=100, help="Of each mode.")] = 1,
    rate: Annotated[int, typer.Option("--rate", min=2, max=60, help="Frames a second.")] = 30,
    cycle: Annotated[
        Cycle, typer.Option("--cycle", help="A full cycle, or one side of it.")
    ] = Cycle.FULL,
    turntable: Annotated[
        float, typer.Option("--turntable", metavar="DEGREES", help="Turn it meanwhile.")
    ] = 0.0,
    amplitude: Amplitude = 0.6,
    seen: Seen = From.CORNER,
    bare: Bare = False,
    dark: Dark = False,
) -> None:
    """Make a film of a mode, of several, or of one as a knob is turned."""
    prepare_display()
    from belltone.drawing.colours import DARK, LIGHT
    from belltone.drawing.options import SceneOptions
    from belltone.drawing.stills import View, plain
    from belltone.exchange.films import Reel
    from belltone.exchange.handed import Filmed, hand_over_film
    from belltone.sweep.pool import start_workers

    source = set_places(read_input(sheet, output), settings)
    width, height = _pixels(size)
    options = plain(SceneOptions()) if bare else SceneOptions(axes=False)
    reel = Reel(
        View(width, height, seen.value, amplitude=amplitude, options=options),
        frames or (4 if over is not None else 60),
        cycles,
        rate,
        cycle is Cycle.HALF,
        turntable,
        not bare,
        DARK if dark else LIGHT,
    )
    warn(evaluate(source))
    shown = Filmed(tuple(modes or ()), every, over or "")
    with (
        ResultStore(store_path(sheet), note) as store,
        start_workers() if over else ThreadPoolExecutor(1) as workers,
        progress_shown("film") as progress,
    ):
        hand_over_film(source, shown, reel, output, store, progress, workers)
    print(f"wrote {output}")


class Subject(StrEnum):
    """What there are pictures of."""

    COMPONENT = "component"
    MODE = "mode"
    DISPLACEMENT = "displacement"
    STRESS = "stress"
    BUCKLING = "buckling"
    RULER = "ruler"
    ONE_KNOB = "one knob"
    TWO_KNOBS = "two knobs"


def picture(
    sheet: SheetPath,
    output: Annotated[
        Path,
        typer.Option("-o", "--output", metavar="FILE", help="Where to write: .png, charts .svg."),
    ],
    what: Annotated[
        Subject, typer.Option("--what", help="What is seen; the last three are charts.")
    ] = Subject.MODE,
    number: Annotated[
        int, typer.Option("--mode", metavar="N", min=1, help="Which mode, or buckling shape.")
    ] = 1,
    settings: Settings = None,
    size: Annotated[str | None, typer.Option("--size", metavar="WxH", help="In pixels.")] = None,
    colour: Annotated[
        Colour, typer.Option("--colour", help="What colours of a mode stand for.")
    ] = Colour.MOTION,
    amplitude: Amplitude = 0.6,
    seen: Seen = From.CORNER,
    see_through: Annotated[
        bool, typer.Option("--see-through", help="No ground behind the component.")
    ] = False,
    bare: Bare = False,
    dark: Dark = False,
) -> None:
    """Take a picture of the component, a mode or the loaded state, or draw a chart."""
    prepare_display()
    from belltone.drawing.colours import DARK, LIGHT
    from belltone.drawing.options import SceneOptions
    from belltone.drawing.stills import View, plain
    from belltone.exchange.films import title_height
    from belltone.exchange.handed import CHARTS, Pictured, hand_over_picture
    from belltone.sweep.pool import start_workers

    source = set_places(read_input(sheet, output), settings)
    chart = what.value in CHARTS
    usual = {Subject.RULER: "1200x160", Subject.ONE_KNOB: "1100x560", Subject.TWO_KNOBS: "800x560"}
    width, height = _pixels(size or usual.get(what, "1280x720"))
    options = SceneOptions(colour=colour.value, axes=False)
    titled = what is Subject.MODE and not bare
    view = View(
        width,
        height,
        seen.value,
        amplitude=amplitude,
        headroom=title_height(height) if titled else 0,
        transparent=see_through,
        options=plain(options) if bare else options,
    )
    warn(evaluate(source))
    with (
        ResultStore(store_path(sheet), note) as store,
        start_workers() if chart else ThreadPoolExecutor(1) as workers,
        progress_shown("picture") as progress,
    ):
        shown = Pictured(what.value, number)
        palette = DARK if dark else LIGHT
        hand_over_picture(source, shown, view, output, store, progress, workers, palette)
    print(f"wrote {output}")


def _pixels(text: str) -> tuple[int, int]:
    match = _SIZE.fullmatch(text.strip())
    if match is None:
        raise typer.BadParameter(f"“{text}” is not WIDTHxHEIGHT, such as “1280x720”")
    width, height = int(match[1]), int(match[2])
    if not (min(width, height) >= _LEAST and max(width, height) <= _MOST):
        raise typer.BadParameter(f"“{text}”: {_LEAST} to {_MOST} pixels each way can be drawn")
    return width, height

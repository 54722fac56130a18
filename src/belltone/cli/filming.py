"""Films: one mode, several, or one as a knob is turned."""

from __future__ import annotations

import re
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.inputs import read_input, set_places, solved
from belltone.cli.messages import fail, note, warn
from belltone.cli.options import Settings, SheetPath
from belltone.cli.waiting import progress_shown
from belltone.drawing.display import prepare_display
from belltone.modes.solve import request_for
from belltone.reading.family import DesignFamily, evaluate
from belltone.store.results import ResultStore, store_path

_SIZE = re.compile(r"(\d{2,4})\s*[x×]\s*(\d{2,4})")
_LEAST, _MOST = 64, 4096  # pixels


class From(StrEnum):
    """Where the component is looked at from."""

    CORNER = "corner"
    X = "x"
    Y = "y"
    Z = "z"


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
    amplitude: Annotated[
        float, typer.Option("--amplitude", min=0.05, max=4.0, help="How far it is drawn to move.")
    ] = 0.6,
    seen: Annotated[From, typer.Option("--from", help="Look along an axis.")] = From.CORNER,
    bare: Annotated[
        bool, typer.Option("--bare", help="No words, no supports: the component alone.")
    ] = False,
    dark: Annotated[bool, typer.Option("--dark", help="In lamp-lit colours.")] = False,
) -> None:
    """Make a film of a mode, of several, or of one as a knob is turned."""
    prepare_display()
    from belltone.drawing.colours import DARK, LIGHT
    from belltone.drawing.scene import SceneOptions
    from belltone.drawing.stills import View, plain
    from belltone.exchange.films import ENDINGS, Reel, film_modes, film_sweep

    source = set_places(read_input(sheet, output), settings)
    if output.suffix.lower() not in ENDINGS:
        fail(f"“{output}” does not say how to write a film: its ending must be .mp4 or .gif")
    if not modes and not every:
        fail("say which mode: “--mode 3”, or “--all” of them")
    if over is not None and (every or len(modes or []) != 1):
        fail("along a knob one mode is shown: give “--mode” once, and not “--all”")
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
    design = evaluate(source)
    warn(design)
    with ResultStore(store_path(sheet), note) as store:
        if over is None:
            found = solved(source, {}, request_for(design), store)
            places = _places(modes or [], every, found.rigid_count, len(found))
            with progress_shown("film") as progress:
                film_modes(design, found, places, reel, output, progress)
        else:
            from belltone.sweep.plan import parse_plan
            from belltone.sweep.pool import start_workers
            from belltone.sweep.runner import run_sweep

            plan = parse_plan(over, design)
            with start_workers() as workers, progress_shown(f"film over {plan.knob}") as progress:
                sweep = run_sweep(source, plan, workers, store, progress)
                number = (modes or [1])[0]
                if number > len(sweep.branches):
                    fail(f"there are {len(sweep.branches)} branches over {plan.knob}")
                family = DesignFamily(source)
                designs = [
                    family.at(sweep.knob.turned(float(value))) if known is not None else None
                    for value, known in zip(sweep.values, sweep.sets, strict=True)
                ]
                film_sweep(sweep, designs, number, reel, output, progress)
    print(f"wrote {output}")


def _places(numbers: list[int], every: bool, rigid: int, count: int) -> list[int]:
    if every:
        return list(range(rigid, count))
    for number in numbers:
        if rigid + number > count:
            fail(f"there is no mode {number}: {count - rigid} were found")
    return [rigid + number - 1 for number in numbers]


def _pixels(text: str) -> tuple[int, int]:
    match = _SIZE.fullmatch(text.strip())
    if match is None:
        raise typer.BadParameter(f"“{text}” is not WIDTHxHEIGHT, such as “1280x720”")
    width, height = int(match[1]), int(match[2])
    if not (min(width, height) >= _LEAST and max(width, height) <= _MOST):
        raise typer.BadParameter(f"“{text}”: {_LEAST} to {_MOST} pixels each way can be drawn")
    return width, height

"""Models of knobs: what they cost beside solutions, how true they are, how live a knob is.

``python -m benchmarks.models`` prints those of one knob, with ``planes`` those of several;
``python -m benchmarks.models drag [DEMO KNOB]`` drags a slider of the real window for twenty
seconds and reads the times.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Mapping
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from belltone.errors import UserError
from belltone.modes.failure import PointFailure
from belltone.modes.level import Level
from belltone.modes.solution import solved
from belltone.modes.solve import request_for, solve
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.reduce.boxes import build_box
from belltone.reduce.designs import UnmodelledError
from belltone.reduce.lines import build_line
from belltone.reduce.model import ReducedModel, ReducedModes
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import read_sheet
from belltone.system.threads import numpy_threads

DEMOS = (
    "infeed_rail",
    "paddle",
    "filler_gantry",
    "heated_rail",
    "pump_cover",
    "cap_chute",
    "rinsing_bell",
    "spinning_bell",
    "drip_tray",
    "pressed_cover",
    "ribbed_cover",
    "guard_hood",
)
PLANES = {
    "heated_rail": ("belt", "sun"),
    "paddle": ("angle", "twist"),
    "pump_cover": ("thickness", "inlet_at"),
    "cap_chute": ("sheet", "flange"),
    "rinsing_bell": ("wall", "depth"),
}
POINTS = 50
MODES = 12
DRAGGED = 20.0  # s


def main(names: tuple[str, ...] = DEMOS, points: int = POINTS) -> None:
    """Cost and truth of the model of every knob of the demos."""
    print(f"\nModels of knobs, within 0.1 %, {MODES} frequencies at {points} random values each")
    print(
        f"{'demo, knob':<26}{'unknowns':>9}{'build':>7}{'solved':>7}{'query':>9}{'1000':>7}"
        f"{'worst':>10}{'below':>8}{'told':>8}"
    )
    print(
        f"{'':<26}{'':>9}{'exact':>7}{'':>7}{'ms':>9}{'exact':>7}{'':>10}{'bound':>8}{'right':>8}"
    )
    totals = np.zeros(3)
    for name in names:
        family = DesignFamily(read_sheet(demo_sheet(name)))
        design = family.at()
        request = request_for(design, 4)
        found = solve(design, request_for(design))
        level = found.modes.discretisation
        exact = _seconds(lambda: _exact(family, {}, level, request))  # noqa: B023
        for knob, value in design.knobs.items():
            if not value.literal:
                continue
            low, high = (end * value.scale for end in value.range)
            start = time.perf_counter()
            try:
                parts = (family, {}, knob, (low, high), request, level, found.solution)
                model = build_line(*parts)
            except UnmodelledError as error:
                print(f"{name + ', ' + knob:<26} no model: {error}")
                continue
            build = time.perf_counter() - start
            values = np.random.default_rng(11).uniform(low, high, points)
            start = time.perf_counter()
            told = [model.at(float(at)) for at in values]
            query = (time.perf_counter() - start) / points
            off, right = _truth(family, model, values, told)
            totals += len(off), np.count_nonzero(off <= model.bound), np.count_nonzero(right)
            print(
                f"{name + ', ' + knob:<26}{found.modes.unknowns:>9}{build / exact:>7.1f}"
                f"{model.solutions:>7}{1e3 * query:>9.2f}"
                f"{1000 * exact / (build + 1000 * query):>7.0f}{off.max(initial=0.0):>10.1e}"
                f"{np.mean(off <= model.bound):>8.3f}{np.mean(right):>8.3f}"
            )
    print(
        f"all: {totals[1] / totals[0]:.4f} below the bound, {totals[2] / totals[0]:.4f} within the "
        f"error told, of {totals[0]:.0f} frequencies"
    )


def planes(pairs: Mapping[str, tuple[str, ...]] = PLANES, points: int = POINTS // 2) -> None:
    """Cost and truth of models of several knobs: over whole ranges, and about the design."""
    print(f"\nModels of several knobs, within 0.1 %, {MODES} frequencies at {points} random places")
    print(
        f"{'demo, knobs':<36}{'over':>8}{'unknowns':>9}{'build':>7}{'solved':>7}{'query':>9}"
        f"{'40 x 40':>9}{'worst':>10}{'below':>8}{'told':>8}"
    )
    for name, knobs in pairs.items():
        family = DesignFamily(read_sheet(demo_sheet(name)))
        design = family.at()
        request = request_for(design, 4)
        found = solve(design, request_for(design))
        level = found.modes.discretisation
        exact = _seconds(lambda: _exact(family, {}, level, request))  # noqa: B023
        whole = {
            knob: tuple(end * design.knobs[knob].scale for end in design.knobs[knob].range)
            for knob in knobs
        }
        about = {
            knob: (
                max(low, 0.85 * design.knobs[knob].base),
                min(high, 1.15 * design.knobs[knob].base),
            )
            for knob, (low, high) in whole.items()
        }
        for over, ends in (("range", whole), ("15 %", about)):
            start = time.perf_counter()
            model = build_box(family, {}, ends, request, level, found.solution)
            build = time.perf_counter() - start
            places = np.random.default_rng(11).uniform(model.low, model.high, (points, len(knobs)))
            start = time.perf_counter()
            with numpy_threads(many=False):  # as the map reads it
                told = [model.at(*map(float, place)) for place in places]
            query = (time.perf_counter() - start) / points
            off, right = _truth(family, model, places, told)
            print(
                f"{name + ', ' + ' '.join(knobs):<36}{over:>8}{found.modes.unknowns:>9}"
                f"{build / exact:>7.1f}{model.solutions:>7}{1e3 * query:>9.2f}"
                f"{1600 * exact / (build + 1600 * query):>9.0f}{off.max(initial=0.0):>10.1e}"
                f"{np.mean(off <= model.bound):>8.3f}{np.mean(right):>8.3f}",
                flush=True,
            )


def _truth(
    family: DesignFamily,
    model: ReducedModel,
    values: np.ndarray,
    told: list[ReducedModes | PointFailure | None],
) -> tuple[np.ndarray, np.ndarray]:
    """How far frequencies are off, and whether by no more than was told."""
    off, right = [], []
    for value, found in zip(values, told, strict=True):
        if not isinstance(found, ReducedModes):
            continue
        try:
            turned = dict(zip(model.knobs, np.atleast_1d(value).tolist(), strict=True))
            true = _exact(family, turned, model.discretisation, model.request)
        except UserError:
            continue
        count = min(MODES, len(true), len(found.flexible))
        own = np.abs(found.flexible[:count] / true[:count] - 1)
        off.append(own)
        right.append(own <= found.errors[found.rigid_count :][:count])
    return np.concatenate(off), np.concatenate(right)


def _exact(family: DesignFamily, turned: dict[str, float], level, request) -> np.ndarray:
    with numpy_threads(many=False):
        return solved(Level(family.at(turned), level, Progress()), request).frequencies


def _seconds(call) -> float:
    start = time.perf_counter()
    call()
    return time.perf_counter() - start


def drag(name: str = "pump_cover", knob: str = "thickness") -> None:
    """Drag a knob's slider in the real window and read how long each move takes to be seen."""
    from PySide6.QtCore import QSettings

    from belltone.desk.application import make_application
    from belltone.desk.cards.knobs_card import KnobsCard
    from belltone.desk.session.session import Session
    from belltone.desk.window import MainWindow
    from belltone.store.journal import Journal

    application = make_application()
    with TemporaryDirectory() as folder:
        session = Session(read_sheet(demo_sheet(name)), None, Journal(Path(folder)))
        settings = QSettings(str(Path(folder) / "st.ini"), QSettings.Format.IniFormat)
        window = MainWindow(session, settings)
        window.resize(1280, 800)
        window.show()

        def wait(ready) -> None:
            while not ready():
                application.processEvents()
                time.sleep(0.01)

        wait(lambda: session.settled)
        window.map.knob.setCurrentText(knob)
        wait(lambda: session.models.of(knob) is not None and session.models.making != knob)
        wait(lambda: session.models.settled)
        slider = window.findChildren(KnobsCard)[0].row(knob).slider
        slider.setSliderDown(True)
        times, start = [], time.perf_counter()
        middle, reach = 0.5 * slider.maximum(), 0.45 * slider.maximum()
        while time.perf_counter() - start < DRAGGED:
            before = time.perf_counter()
            value = int(middle + reach * np.sin(2 * (before - start)))
            if value == slider.value():
                continue  # the hand has not got there yet
            slider.setValue(value)
            application.processEvents()
            times.append(time.perf_counter() - before)
        slider.setSliderDown(False)
        window.files.may_discard = lambda: True  # type: ignore[method-assign]
        window.close()
    spent = 1e3 * np.array(times)
    print(
        f"drag of {name}, {knob}: {len(spent)} moves, from mouse to picture median "
        f"{np.median(spent):.0f} ms, 95 % below {np.percentile(spent, 95):.0f} ms"
    )


if __name__ == "__main__":
    if sys.argv[1:2] == ["drag"]:
        drag(*sys.argv[2:])
    elif sys.argv[1:2] == ["planes"]:
        planes()
    else:
        main(tuple(sys.argv[1:]) or DEMOS)

"""The questions of an open sheet, as functions an engine can be asked.

A process that answers them keeps the last solution: the next is begun from it, and pulls are read
off it.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final

from belltone.design.values import TargetValue
from belltone.mesh.discretisation import Discretisation
from belltone.modes.mass_properties import part_masses
from belltone.modes.modeset import ModeSet
from belltone.modes.solution import Solution
from belltone.modes.solve import request_for, solve
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.reduce.model import ReducedModel
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore, result_key, store_path
from belltone.sweep.engine import Answered
from belltone.sweep.models import model_of
from belltone.system.contacts import Contact, contacts
from belltone.system.threads import numpy_threads
from belltone.tune.clearing import CONDITIONS, clear
from belltone.tune.conditions import parse_condition
from belltone.tune.others import Other, others
from belltone.tune.plane import Plane, planes
from belltone.tune.proposals import Cleared
from belltone.tune.pull import Pull, pulls
from belltone.tune.search import Aim
from belltone.tune.together import Together, reach_together
from belltone.tune.tolerances import Tolerances, tolerances

__all__ = [
    "FoundModes",
    "FoundPlane",
    "find_cleared",
    "find_contacts",
    "find_model",
    "find_modes",
    "find_others",
    "find_plane",
    "find_pulls",
    "find_reached",
    "find_tolerances",
]

_MORE: Final = 4  # modes beyond those asked for, so that branches may change places

_untold: list[str] = []
"""What went wrong with keeping answers after they were on their way; told with the next one."""

_last: dict[str, Solution] = {}
"""The last solution of this process, by the text of its sheet."""


@dataclass(frozen=True)
class FoundModes:
    """The modes a sheet asks for, the seconds of processor time they took, and what is to be told.

    Modes that were known took none.
    """

    modes: ModeSet
    seconds: float
    notes: tuple[str, ...]


def find_modes(
    text: str, folder: Path | None, path: Path | None, *, progress: Progress
) -> Answered:
    """The modes a sheet asks for, as `FoundModes`; new ones are kept once they are on their way.

    Files it names are in ``folder``. Modes visited before come from the store of its ``path``.
    """
    start = time.process_time()
    sheet = Sheet.from_text(text, folder)
    design = evaluate(sheet)
    request = request_for(design)
    key = result_key(sheet, {}, request, None)
    with ResultStore(store_path(path)) as store:
        known, notes = store.get(key), tuple(dict.fromkeys([*_untold, *store.notes]))
    _untold.clear()
    if known is not None:
        return Answered(FoundModes(known, 0.0, notes), lambda: None)
    near = next(iter(_last.values()), None)
    found = solve(design, request, progress=progress, like=near)
    _keep(text, found.solution)

    def keep() -> None:
        with ResultStore(store_path(path)) as store:
            store.put(key, found.modes)
        _untold.extend(note for note in store.notes if note not in notes)

    seconds = time.process_time() - start
    return Answered(FoundModes(found.modes, seconds, notes), keep)


def find_pulls(
    text: str, folder: Path | None, path: Path | None, *, progress: Progress
) -> Mapping[str, Pull]:
    """The pulls of every knob of a sheet, read off its solution; see `pulls`."""
    sheet = Sheet.from_text(text, folder)
    return pulls(sheet, _solution_of(sheet, path, progress), progress=progress)


def find_others(
    text: str, folder: Path | None, path: Path | None, *, progress: Progress
) -> tuple[Other, ...]:
    """The pulls of all other numbers of a sheet, read off its solution; see `others`."""
    sheet = Sheet.from_text(text, folder)
    return others(sheet, _solution_of(sheet, path, progress), progress)


def _solution_of(sheet: Sheet, path: Path | None, progress: Progress) -> Solution:
    """The solution of a sheet; where its modes came from the store one is found on their level."""
    if sheet.text not in _last:
        design = evaluate(sheet)
        with ResultStore(store_path(path)) as store:
            known = store.get(result_key(sheet, {}, request_for(design), None))
        level = None if known is None else known.discretisation
        told = level is None
        found = solve(design, request_for(design), level, progress, told)
        _keep(sheet.text, found.solution)
    return _last[sheet.text]


def _keep(text: str, solution: Solution) -> None:
    _last.clear()
    _last[text] = solution


def find_contacts(
    text: str, folder: Path | None, *, progress: Progress
) -> tuple[tuple[Contact, ...], dict[str, float]]:
    """Which parts of a sheet touch, and how heavy each is (kg)."""
    design = evaluate(Sheet.from_text(text, folder))
    return contacts(design, progress), part_masses(design)


def find_model(
    text: str,
    folder: Path | None,
    path: Path | None,
    ends: Mapping[str, tuple[float, float]],
    discretisation: Discretisation,
    bound: float,
    *,
    progress: Progress,
) -> ReducedModel:
    """The model of knobs of a sheet (ends in base units); pieces of it are shown as they come."""
    sheet = Sheet.from_text(text, folder)
    design = evaluate(sheet)
    request = request_for(design, _MORE)
    with ResultStore(store_path(path)) as store:
        return model_of(sheet, ends, request, discretisation, bound, store, progress)


@dataclass(frozen=True)
class FoundPlane:
    """Two knobs over their ranges, the model they are read off, and where its others stand."""

    plane: Plane
    model: ReducedModel
    others: tuple[float, ...] = ()


def find_plane(
    text: str,
    folder: Path | None,
    path: Path | None,
    ends: Mapping[str, tuple[float, float]],
    discretisation: Discretisation,
    bound: float,
    others: tuple[float, ...] = (),
    *,
    progress: Progress,
) -> FoundPlane:
    """The plane of two knobs of a sheet (ends in base units); what is known is shown as it comes.

    While the model is made, coarsely for each of its pieces, then finer and finer. With more than
    two knobs ``others`` is where the third stands.
    """
    knobs = evaluate(Sheet.from_text(text, folder)).knobs
    here = [knobs[name].base for name in list(ends)[:2]]

    def look(model: ReducedModel) -> None:
        for plane in planes(model, progress, others, here, coarse_only=True):
            progress.show(FoundPlane(plane, model, others))

    watching = replace(progress, viewer=look)
    model = find_model(text, folder, path, ends, discretisation, bound, progress=watching)
    with numpy_threads(many=False):
        for plane in planes(model, progress, others, here):
            found = FoundPlane(plane, model, others)
            if not plane.whole:
                progress.show(found)
    return found


def find_cleared(
    text: str,
    folder: Path | None,
    path: Path | None,
    names: Sequence[str],
    aim: Aim,
    conditions: Sequence[str],
    spared: Sequence[str],
    margin: float | None,
    margins: Sequence[float],
    *,
    progress: Progress,
) -> Cleared:
    """What `clear` finds for a sheet, conditions as they are typed; what is tried is shown."""
    sheet = Sheet.from_text(text, folder)
    read = [parse_condition(each, CONDITIONS) for each in conditions]
    with ResultStore(store_path(path)) as store:
        return clear(
            sheet,
            names,
            aim,
            read,
            spared,
            store=store,
            progress=progress,
            margins=margins,
            margin=margin,
        )


def find_reached(
    text: str,
    folder: Path | None,
    path: Path | None,
    targets: Sequence[TargetValue],
    names: Sequence[str],
    *,
    progress: Progress,
) -> Together:
    """What `reach_together` finds for a sheet."""
    sheet = Sheet.from_text(text, folder)
    with ResultStore(store_path(path)) as store:
        return reach_together(sheet, targets, names, store, progress)


def find_tolerances(
    text: str, folder: Path | None, path: Path | None, samples: int, *, progress: Progress
) -> Tolerances:
    """What the tolerances of a sheet do; see `tolerances`."""
    sheet = Sheet.from_text(text, folder)
    with ResultStore(store_path(path)) as store:
        return tolerances(sheet, samples, store=store, progress=progress)

"""Models of knobs by the sheet they belong to, kept in the store."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from belltone.mesh.discretisation import Discretisation
from belltone.modes.request import ModeRequest
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.reduce.boxes import build_box
from belltone.reduce.lines import build_line
from belltone.reduce.model import ReducedModel
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore, model_key

__all__ = ["model_of"]


def model_of(
    sheet: Sheet,
    ends: Mapping[str, tuple[float, float]],
    request: ModeRequest,
    discretisation: Discretisation,
    bound: float,
    store: ResultStore | None = None,
    progress: Progress | None = None,
) -> ReducedModel:
    """The model of knobs of a sheet, each between two values (base units).

    Raises `UnmodelledError`; see `build_line` and `build_box`.
    """
    key = model_key(sheet, ends, request, discretisation, bound)
    known = None if store is None else store.get_model(key)
    if known is not None:
        return known
    family = DesignFamily(sheet)
    rest: dict[str, Any] = {"bound": bound, "progress": progress}
    if len(ends) == 1:
        ((knob, own),) = ends.items()
        made = build_line(family, {}, knob, own, request, discretisation, **rest)
    else:
        made = build_box(family, {}, ends, request, discretisation, **rest)
    if store is not None:
        store.put_model(key, made)
    return made

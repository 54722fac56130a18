"""Models of knobs by the sheet they belong to, kept in the store."""

from __future__ import annotations

from belltone.design.values import KnobValue
from belltone.mesh.discretisation import Discretisation
from belltone.modes.request import ModeRequest
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.reduce.building import build_line
from belltone.reduce.line import LineModel
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore, model_key

__all__ = ["model_of"]


def model_of(
    sheet: Sheet,
    knob: KnobValue,
    ends: tuple[float, float],
    request: ModeRequest,
    discretisation: Discretisation,
    bound: float,
    store: ResultStore | None = None,
    progress: Progress | None = None,
) -> LineModel:
    """The model of a knob of a sheet between two values (base units); see `build_line`."""
    key = model_key(sheet, knob.name, ends, request, discretisation, bound)
    known = None if store is None else store.get_model(key)
    if known is not None:
        return known
    made = build_line(
        DesignFamily(sheet),
        {},
        knob.name,
        ends,
        request,
        discretisation,
        bound=bound,
        progress=progress,
    )
    if store is not None:
        store.put_model(key, made)
    return made

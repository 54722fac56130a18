"""Values with one entry for every mode, of which some can be picked."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Any, Final, TypeVar

import numpy as np
from numpy.typing import NDArray

__all__ = ["BY_MODE", "picked"]

BY_MODE: Final = {"by mode": True}
"""Marks fields with one entry for every mode, in order; or such values themselves."""

_Value = TypeVar("_Value", bound=Any)


def picked(value: _Value, rows: NDArray[np.intp]) -> _Value:
    """A dataclass with some of its modes, by their places, in any order."""
    found: dict[str, Any] = {}
    for each in fields(value):
        own = getattr(value, each.name)
        if each.metadata != BY_MODE or own is None:
            continue
        if isinstance(own, tuple):
            found[each.name] = tuple(own[row] for row in rows) if own else own
        elif isinstance(own, np.ndarray):
            found[each.name] = own[rows]
        else:
            found[each.name] = picked(own, rows)
    return replace(value, **found)

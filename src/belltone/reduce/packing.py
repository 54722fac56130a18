"""A model of knobs as bytes, and back."""

from __future__ import annotations

import io
import json
from dataclasses import asdict
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from pydantic import TypeAdapter

from belltone.mesh.discretisation import Discretisation
from belltone.modes.failure import PointFailure, Reason
from belltone.modes.request import ModeRequest
from belltone.reduce.forms import Tables
from belltone.reduce.grid import Grid
from belltone.reduce.model import Anchor, Gap, Piece, ReducedModel

__all__ = ["double", "pack_model", "single", "unpack_model"]

_DISCRETISATION: Final = TypeAdapter(Discretisation)
_TABLES: Final = (
    "places", "orders", "stiffness", "mass", "slides", "skew", "speeds", "totals",
)  # fmt: skip
_ARRAYS: Final = (
    "errors",
    "shapes",
    "rigid_shapes",
    "moved",
    "rigid_moved",
)


def single(numbers: NDArray[Any]) -> NDArray[Any]:
    """The same with seven digits, which are plenty for pictures and matching."""
    return numbers.astype(np.complex64 if np.iscomplexobj(numbers) else np.float32)


def double(numbers: NDArray[Any]) -> NDArray[Any]:
    """What was kept, as it is reckoned with."""
    return numbers.astype(np.complex128 if np.iscomplexobj(numbers) else np.float64)


def pack_model(model: ReducedModel) -> bytes:
    """All of a model."""
    arrays: dict[str, Any] = {}
    pieces: list[dict[str, Any]] = []
    for number, piece in enumerate(model.pieces):
        told: dict[str, Any] = {"low": piece.low, "high": piece.high}
        if isinstance(piece, Gap):
            told |= {"reason": str(piece.failure.reason), "detail": piece.failure.detail}
        else:
            arrays |= {f"{number} {name}": getattr(piece, name) for name in _ARRAYS}
            forms = {name: getattr(piece.tables, name, None) for name in _TABLES}
            arrays |= {f"{number} {name}": own for name, own in forms.items() if own is not None}
            told["shift"] = piece.tables.shift
            for place, anchor in enumerate(piece.anchors):
                arrays[f"{number} anchor {place}"] = single(anchor.signatures)
            told["rigid_names"] = piece.rigid_names
            told["from_ground"] = piece.from_ground
            told["anchors"] = [
                [anchor.place, anchor.kinds, anchor.waves] for anchor in piece.anchors
            ]
        pieces.append(told)
    rest = {
        "knobs": model.knobs,
        "low": model.low,
        "high": model.high,
        "bound": model.bound,
        "request": asdict(model.request),
        "discretisation": asdict(model.discretisation),
        "solutions": model.solutions,
        "pieces": pieces,
    }
    stream = io.BytesIO()
    np.savez(stream, rest=np.frombuffer(json.dumps(rest).encode(), np.uint8), **arrays)
    return stream.getvalue()


def unpack_model(payload: bytes) -> ReducedModel:
    """The model again; raises ``ValueError`` or ``KeyError`` where the bytes are none."""
    with np.load(io.BytesIO(payload), allow_pickle=False) as stored:
        rest = json.loads(stored["rest"].tobytes())
        arrays = {name: stored[name] for name in stored.files if name != "rest"}
    pieces: list[Piece | Gap] = []
    for number, told in enumerate(rest["pieces"]):
        low, high = tuple(told["low"]), tuple(told["high"])
        if "reason" in told:
            failure = PointFailure(Reason(told["reason"]), told["detail"])
            pieces.append(Gap(low, high, failure))
            continue
        anchors = tuple(
            Anchor(
                tuple(at),
                double(arrays[f"{number} anchor {place}"]),
                tuple(kinds),
                tuple(waves),
            )
            for place, (at, kinds, waves) in enumerate(told["anchors"])
        )
        known: dict[str, Any] = {name: arrays.get(f"{number} {name}") for name in _TABLES}
        orders, places = known.pop("orders"), known.pop("places")
        known["shift"] = told["shift"]
        tables: Tables | Grid
        tables = Tables(places, **known) if orders is None else Grid(low, high, orders, **known)
        own = {name: arrays[f"{number} {name}"] for name in _ARRAYS}
        own |= {"rigid_names": tuple(told["rigid_names"]), "from_ground": told["from_ground"]}
        pieces.append(Piece(low=low, high=high, tables=tables, anchors=anchors, **own))
    return ReducedModel(
        knobs=tuple(rest["knobs"]),
        low=tuple(rest["low"]),
        high=tuple(rest["high"]),
        bound=rest["bound"],
        request=ModeRequest(**rest["request"]),
        discretisation=_DISCRETISATION.validate_python(rest["discretisation"]),
        pieces=tuple(pieces),
        solutions=rest["solutions"],
    )

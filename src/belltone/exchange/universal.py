"""Modes at points as a universal file: units (dataset 164), nodes (15) and modes (55)."""

from __future__ import annotations

import math
import warnings
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.compare.measured import ModesAtPoints
from belltone.files import FileError, read_bytes, writing

__all__ = ["read_universal", "write_universal"]

Array = NDArray[np.float64]

_MOST_BYTES: Final = 200_000_000
_LINE: Final = 78  # characters of a line of the format at most
_NORMAL: Final = 2  # kinds of analysis
_THREE: Final = 2  # characteristic of the data: three motions


def write_universal(told: ModesAtPoints, path: Path) -> None:
    """Write modes at points; raises ``OSError``."""
    # Loaded only where it is needed: it takes a while.
    import pyuff

    count = len(told.positions)
    numbers = np.arange(1, count + 1)
    sets = [
        pyuff.prepare_164(
            units_code=1,
            units_description="SI units",
            temp_mode=1,
            length=1.0,
            force=1.0,
            temp=1.0,
            temp_offset=273.15,
        ),
        pyuff.prepare_15(
            node_nums=numbers.tolist(),
            def_cs=np.zeros(count, int).tolist(),
            disp_cs=np.zeros(count, int).tolist(),
            color=np.ones(count, int).tolist(),
            x=told.positions[:, 0].tolist(),
            y=told.positions[:, 1].tolist(),
            z=told.positions[:, 2].tolist(),
        ),
    ]
    for row, (frequency, shape) in enumerate(zip(told.frequencies, told.shapes, strict=True)):
        name = told.kinds[row] or "NONE"
        sets.append(
            pyuff.prepare_55(
                id1=_plain(f"mode {row + 1}"),
                id2=_plain(name),
                id3="relative motion",
                id4="NONE",
                id5="NONE",
                model_type=1,
                analysis_type=_NORMAL,
                data_ch=_THREE,
                spec_data_type=8,
                data_type=2,
                n_data_per_node=3,
                load_case=1,
                mode_n=row + 1,
                freq=float(frequency),
                modal_m=0.0,
                modal_damp_vis=0.0,
                modal_damp_his=0.0,
                node_nums=numbers.tolist(),
                r1=shape[:, 0],
                r2=shape[:, 1],
                r3=shape[:, 2],
            )
        )
    with writing(path) as place:
        place.unlink()  # it is added to, set by set
        file = pyuff.UFF(str(place))
        for each in sets:
            file.write_sets(each, mode="add")


def read_universal(path: Path) -> ModesAtPoints:
    """Modes from a universal file: their frequencies, and shapes at its nodes where it has any.

    Lengths go by its units (dataset 164), else they are m. Of complex modes the real part is
    taken after turning their phase so that it holds the most. Raises `FileError`.
    """
    import pyuff

    read_bytes(path, _MOST_BYTES, "a universal file")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            file = pyuff.UFF(str(path))
            sets = [file.read_sets(at) for at in range(file.get_n_sets())]
    except Exception as error:  # whatever the reader stumbles over
        raise FileError(f"“{path}” is not a universal file that can be read: {error}") from error
    modes = [each for each in sets if each.get("type") == 55 and _frequency(each) > 0]
    if not modes:
        raise FileError(
            f"“{path}” tells no modes: a dataset 55 with a frequency above zero is needed for each"
        )
    scale = 1.0
    for each in sets:
        if each.get("type") == 164 and each.get("length"):
            scale = 1.0 / float(each["length"])
    places: dict[int, Array] = {}
    for each in sets:
        if each.get("type") in (15, 2411):
            numbers = np.atleast_1d(each["node_nums"]).astype(int)
            points = np.column_stack([np.atleast_1d(each[axis]) for axis in "xyz"])
            places |= dict(zip(numbers.tolist(), scale * points.astype(float), strict=True))
    order_of = sorted(places)
    row_of = {number: row for row, number in enumerate(order_of)}
    shapes = np.full((len(modes), len(order_of), 3), np.nan)
    for shape, each in zip(shapes, modes, strict=True):
        told = np.column_stack([np.atleast_1d(each[f"r{axis}"]) for axis in (1, 2, 3)])
        turned = _upright(told)
        for number, motion in zip(
            np.atleast_1d(each["node_nums"]).astype(int), turned, strict=True
        ):
            if int(number) in row_of:
                shape[row_of[int(number)]] = motion
    order = np.argsort([_frequency(each) for each in modes], kind="stable")
    frequencies = np.array([_frequency(modes[at]) for at in order])
    positions = np.array([places[number] for number in order_of]).reshape(-1, 3)
    names = tuple("" for _ in order)
    return ModesAtPoints(frequencies, positions, shapes[order], names)


def _frequency(told: dict[str, Any]) -> float:
    if told.get("freq") is not None:
        return float(told["freq"])
    eigenvalue = told.get("eig")
    return 0.0 if eigenvalue is None else abs(complex(eigenvalue)) / (2 * math.pi)


def _upright(shape: NDArray[Any]) -> Array:
    """The real part of a shape whose phase is turned so that it holds the most."""
    if not np.iscomplexobj(shape):
        return np.asarray(shape, float)
    phase = 0.5 * np.angle(np.sum(shape**2))
    return np.asarray((shape * np.exp(-1j * phase)).real)


def _plain(text: str) -> str:
    """As the format takes it: one line of plain letters."""
    return text.encode("ascii", "replace").decode()[:_LINE]

"""Sheets of several parts to test on, all of steel."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import ModeRequest, solve, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import SheetError
from belltone.system.assembly import assemble
from belltone.system.division import with_plans
from belltone.system.lanczos import lowest_modes

STEEL = """
[materials.steel]
density = "7850 kg/m^3"
youngs_modulus = "200 GPa"
poisson_ratio = 0.3
"""


def text_of(*pieces: str) -> str:
    """A whole sheet of pieces, free in space where nothing holds it."""
    return "\n".join(["belltone = 1", STEEL, *pieces, "[modes]", "free = true", ""])


def design_of(*pieces: str, folder: Path | None = None) -> Design:
    """The design of such a sheet."""
    return evaluate(Sheet.from_text(text_of(*pieces), folder))


def findings(*pieces: str, folder: Path | None = None) -> str:
    """What is wrong with such a sheet, all of it."""
    try:
        design_of(*pieces, folder=folder)
    except SheetError as error:
        return str(error)
    return ""


def modes_of(*pieces: str, count: int = 8, accuracy: float = 2e-3) -> ModeSet:
    """The modes of such a sheet."""
    return solve_modes(design_of(*pieces), ModeRequest(count, None, accuracy))


def modes_at(design: Design, request: ModeRequest, level: Discretisation | None = None) -> ModeSet:
    """Modes on one mesh, or that a sheet states; telling errors would take two more of them."""
    return solve(design, request, level, told=False).modes


def frequencies_at(design: Design, level: Discretisation, count: int) -> NDArray[np.float64]:
    """The lowest flexible frequencies (Hz) at one discretisation, and nothing about them."""
    system = assemble(design, with_plans(design, level))
    found = lowest_modes(system.stiffness, system.mass, system.rigid, count)
    return np.sqrt(found.values[:count]) / (2 * np.pi)


def plate(name: str, width: float, height: float, at: Sequence[float], extra: str = "") -> str:
    """A 4 mm plate about a place (mm)."""
    place = ", ".join(f'"{value} mm"' for value in at)
    return f"""
[parts.{name}]
kind = "plate"
material = "steel"
thickness = "4 mm"
outline = {{ shape = "rectangle", width = "{width} mm", height = "{height} mm" }}
placement = {{ at = [{place}]{extra} }}
"""


def member(name: str, start: Sequence[float], stop: Sequence[float], section: str = "") -> str:
    """A member between two places (mm), of 20 mm square bar unless stated."""
    ends = [", ".join(f'"{value} mm"' for value in place) for place in (start, stop)]
    section = section or 'shape = "solid rectangle", width = "20 mm", height = "20 mm"'
    return f"""
[parts.{name}]
kind = "member"
material = "steel"
from = [{ends[0]}]
to = [{ends[1]}]
section = {{ {section} }}
"""


def joint(first: str, second: str, how: str = "welded", extra: str = "") -> str:
    """A stated joint."""
    return f'[[joints]]\nbetween = ["{first}", "{second}"]\nhow = "{how}"\n{extra}\n'


def held(site: str, hold: str = '"clamped"') -> str:
    """A support; ``hold`` is TOML."""
    return f'[[supports]]\nsite = "{site}"\nhold = {hold}\n'


def frame(nodes: dict[str, Sequence[float]], members: dict[str, str], extra: str = "") -> str:
    """A frame “f” of 30 mm square bar: nodes (mm), members as TOML."""
    lines = [
        "[parts.f]",
        'kind = "frame"',
        'material = "steel"',
        'section = { shape = "solid rectangle", width = "30 mm", height = "30 mm" }',
        extra,
        "[parts.f.nodes]",
    ]
    for name, place in nodes.items():
        lines.append(f"{name} = [" + ", ".join(f'"{value} mm"' for value in place) + "]")
    lines.append("[parts.f.members]")
    lines += [f"{name} = {{ {entry} }}" for name, entry in members.items()]
    return "\n".join(lines) + "\n"

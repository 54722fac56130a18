"""Preload: a linear one against the plain modal solution, a followed one in ten steps."""

from __future__ import annotations

from dataclasses import replace

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation
from belltone.modes.loaded import checked
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.system.assembly import Assembly
from belltone.system.buckling import buckling
from belltone.system.equilibrium import equilibrium
from belltone.system.lanczos import lowest_modes
from benchmarks.walls import seconds

__all__ = ["main"]

_COUNT = 12
_TUBE = """belltone = 1
[parts.tube]
kind = "revolved"
profile = [{ at = ["500 mm", "0 m"] }, { at = ["500 mm", "1 m"] }]
thickness = "5 mm"
material = "structural steel"
[[supports]]
site = "tube.start"
hold = "clamped"
[preload]
deflection = "%s"
[[preload.pressures]]
site = "tube.face"
pressure = "5 bar"
on = "inner"
"""


def _plain(design: Design, level: Discretisation) -> None:
    system = Assembly(design, level).system()
    lowest_modes(system.stiffness, system.mass, system.rigid, _COUNT)


def _loaded(
    design: Design, level: Discretisation, steps: int | None = None, factors: bool = True
) -> None:
    assert design.preload is not None
    state = equilibrium(Assembly(design, level), design.preload, Progress(), steps)
    system = state.system
    factor = checked(state, Progress())
    lowest_modes(system.stiffness, system.mass, system.rigid, _COUNT, factor=(factor, 0.0))
    if state.pose is None and factors:
        buckling(state.elastic, state.stress_stiffness, state.elastic_factor, 4, Progress())


def main() -> None:
    """Print both ratios for a shell of about 10 000 unknowns."""
    level = Discretisation(3, 5)
    small = evaluate(Sheet.from_text(_TUBE % "small"))
    bare = replace(small, preload=None)
    plain = seconds(lambda: _plain(bare, level))
    unknowns = Assembly(bare, level).size
    linear = seconds(lambda: _loaded(small, level, factors=False))
    print(f"linear preload and modes / modes alone, {unknowns} unknowns: {linear / plain:.2f}")
    linear = seconds(lambda: _loaded(small, level))
    print(f"the same with four buckling factors / modes alone: {linear / plain:.2f}")
    large = evaluate(Sheet.from_text(_TUBE % "large"))
    followed = seconds(lambda: _loaded(large, level, 10), 1)
    print(f"followed in 10 steps, and modes / modes alone: {followed / plain:.2f}")

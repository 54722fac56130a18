"""What is to be seen in the scene of a component."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["SceneOptions"]


@dataclass(frozen=True)
class SceneOptions:
    """What is seen: colour by ``motion``, ``energy`` (strain) or ``kinetic`` energy, lines, names.

    Parts, and regions of received meshes, may be ``hidden`` or ``faint``, which is see-through;
    ``lit`` parts are outlined. ``cut``
    takes away what lies before a plane across an axis, at a share of the component. Colours are
    only where they stand for ``least`` (0 to 1) or more, and ``most`` or less. ``axes`` are drawn
    in a corner.
    """

    colour: str = "motion"
    nodal: bool = True
    mesh: bool = False
    clutter: bool = True
    hidden: frozenset[str] = frozenset()
    faint: frozenset[str] = frozenset()
    lit: frozenset[str] = frozenset()
    cut: str = ""
    cut_at: float = 0.5
    least: float = 0.0
    most: float = 1.0
    axes: bool = True

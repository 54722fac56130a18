"""Charts on paper: the frequency ruler, branches over a knob, the margin over two knobs.

Drawn by matplotlib into SVG whose words stay words, or into pixels for films.
"""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, Final

import matplotlib as mpl
import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from matplotlib.path import Path as Outline
from matplotlib.ticker import AutoLocator, FuncFormatter
from numpy.typing import NDArray

from belltone.design.values import BandValue, Design, KnobValue
from belltone.drawing.colours import LIGHT, MARKS, Palette
from belltone.modes.modeset import Spectrum
from belltone.sheet.shown_units import ShownUnits
from belltone.sheet.units import format_number
from belltone.sweep.runner import Sweep
from belltone.tune.bands import forbidden
from belltone.tune.clear import ClearInterval
from belltone.tune.plane import Plane, least_margins

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.axis import Axis

__all__ = ["as_pixels", "as_svg", "branch_chart", "plane_chart", "ruler_chart"]

Array = NDArray[np.float64]

_DOTS: Final = 100  # of a figure to the inch; sizes are told in dots
_WIDEST_SPAN: Final = 1.12  # the ruler reaches so far beyond what stands on it
_NEAR: Final = 0.022  # of the ruler: numbers nearer than that share one label
_FINER: Final = 4
_METADATA: Final = re.compile(r"<metadata>.*?</metadata>", re.DOTALL)
_STYLE: Final = {
    "font.family": "sans-serif",
    "font.sans-serif": ["DejaVu Sans"],
    "font.size": 8.0,
    "svg.fonttype": "none",
    "svg.hashsalt": "belltone",
    "hatch.linewidth": 0.5,
}


def as_svg(figure: Figure) -> str:
    """A figure as an SVG element, with nothing before it."""
    stream = io.StringIO()
    with mpl.rc_context(_STYLE):
        figure.savefig(stream, format="svg", metadata={"Date": None, "Creator": None})
    text = stream.getvalue()
    return _METADATA.sub("", text[text.index("<svg") :])


def as_pixels(figure: Figure, sharper: float = 1.0) -> NDArray[np.uint8]:
    """A figure as pixels ``(height, width, 4)``, so many times as fine as its size says."""
    with mpl.rc_context(_STYLE):
        figure.set_dpi(sharper * _DOTS)
        canvas = FigureCanvasAgg(figure)
        canvas.draw()
        return np.array(canvas.buffer_rgba(), np.uint8)


def ruler_chart(
    design: Design,
    modes: Spectrum,
    width: int = 900,
    height: int = 130,
    chosen: int | None = None,
    identities: Sequence[int] = (),
    span: float | None = None,
    measured: Sequence[float] = (),
    palette: Palette = LIGHT,
) -> Figure:
    """The frequency ruler: bands hatched and named, a peg for every flexible mode.

    ``chosen`` is the place of one flexible mode that stands out, ``identities`` the branches whose
    colours pegs have, ``span`` the frequency at the right end (Hz); ``measured`` frequencies are
    marked below the axis.
    """
    with mpl.rc_context(_STYLE):
        figure, axes = _figure(width, height, palette)
        axes.set_position((40 / width, 34 / height, 1 - 60 / width, 1 - 62 / height))
        tops = [*modes.flexible, *(band.high for band in design.bands), *measured]
        top = span if span is not None else _WIDEST_SPAN * max(tops, default=1.0)
        axes.set_xlim(0, top)
        axes.set_ylim(0, 1)
        axes.set_yticks([])
        _bands(axes, design.bands, design.margin, palette, upright=True)
        last, row = -np.inf, 0
        for band in sorted(design.bands, key=lambda each: each.low):
            middle = 0.5 * (band.low + band.high)
            row = row + 1 if middle - last < 0.09 * top else 0
            last = middle
            axes.annotate(
                band.name,
                (min(middle, top), 1.0),
                (0, 3 + 9 * (row % 2)),
                textcoords="offset points",
                ha="center",
                color=palette.alarm,
                fontsize=7,
                annotation_clip=False,
            )
        shown = [(at, float(own)) for at, own in enumerate(modes.flexible) if own <= top]
        for at, frequency in shown:
            identity = identities[at] if at < len(identities) else at
            colour, strong = palette.branch(identity), at == chosen
            size = (9 if strong else 6) * (0.8 if _mark(identity) == "D" else 1.0)
            axes.plot([frequency] * 2, [0, 0.62], color=colour, lw=2.4 if strong else 1.2, zorder=4)
            axes.plot(
                [frequency], [0.62], marker=_mark(identity), ms=size, color=colour,
                mec=palette.ink if strong else palette.card, mew=1.2 if strong else 0.6, zorder=5,
                clip_on=False,
            )  # fmt: skip
        _number_pegs(axes, shown, top, palette)
        for frequency in measured:
            axes.plot(
                [frequency], [-0.10], marker="^", ms=6, color=palette.live, clip_on=False, zorder=6
            )
        label = _told_in(axes.xaxis, design.shown)
        axes.set_xlabel(label, color=palette.muted, fontsize=8, labelpad=2)
        return figure


def branch_chart(
    sweep: Sweep,
    design: Design,
    intervals: Sequence[ClearInterval] = (),
    width: int = 900,
    height: int = 460,
    palette: Palette = LIGHT,
) -> Figure:
    """Branches over the knob with the bands across, and below where every band is clear."""
    knob = sweep.knob
    with mpl.rc_context(_STYLE):
        figure, axes = _figure(width, height, palette)
        axes.set_position((64 / width, 58 / height, 1 - 300 / width, 1 - 76 / height))
        axes.set_xlim(float(sweep.values[0]), float(sweep.values[-1]))
        highest = max([band.high for band in design.bands], default=0.0)
        ends = [np.nanmax(branch.frequencies) for branch in sweep.branches]
        top = 1.06 * float(max([highest, *ends], default=1.0))
        axes.set_ylim(0, top)
        _bands(axes, design.bands, design.margin, palette, upright=False)
        for number, branch in enumerate(sweep.branches):
            colour = palette.branch(number)
            known = np.isfinite(branch.frequencies)
            axes.plot(sweep.values[known], branch.frequencies[known], color=colour, lw=1.6)
            few = np.flatnonzero(known & sweep.asked)
            few = few[:: max(1, len(few) // 8)]
            axes.plot(
                sweep.values[few], branch.frequencies[few], ls="", marker=_mark(number), ms=4,
                color=colour, mec=palette.card, mew=0.5,
            )  # fmt: skip
        _branch_names(axes, sweep, top, palette)
        axes.axvline(knob.value, color=palette.live, lw=1.2, ls=(0, (4, 3)))
        for interval in intervals:
            axes.axvspan(
                interval.start, interval.stop, ymax=0.02, color=palette.clear, lw=0, zorder=6
            )
            axes.annotate(
                "clear", (0.5 * (interval.start + interval.stop), 0.02), (0, 2),
                xycoords=("data", "axes fraction"), textcoords="offset points", ha="center",
                color=palette.clear, fontsize=7, zorder=7,
            )  # fmt: skip
        axes.set_xlabel(_label(knob), color=palette.ink)
        axes.set_ylabel(_told_in(axes.yaxis, design.shown), color=palette.ink)
        return figure


def plane_chart(
    plane: Plane,
    design: Design,
    width: int = 700,
    height: int = 460,
    palette: Palette = LIGHT,
) -> Figure:
    """The least margin to any band over two knobs: in a band, within the margin, clear."""
    fine = plane.finer(_FINER)
    margins = least_margins(fine, design.bands)
    first, second = (design.knobs[name] for name in plane.knobs)
    with mpl.rc_context(_STYLE):
        figure, axes = _figure(width, height, palette)
        axes.set_position((70 / width, 58 / height, 1 - 96 / width, 1 - 76 / height))
        across, up = fine.across / first.scale, fine.up / second.scale
        if np.isfinite(margins).any():
            top = max(float(np.nanmax(margins)), 2 * design.margin)
            low = min(float(np.nanmin(margins)), -1e-6)
            margin = max(design.margin, 1e-9)
            levels = [low, 0.0, margin, margin + 0.5 * (top - margin), top]
            colours = [palette.alarm_wash, palette.margin_wash, "#d9e6cf", "#b3cfa6"]
            axes.contourf(across, up, margins, levels=levels, colors=colours, extend="max")
            axes.contour(across, up, margins, levels=[margin], colors=palette.clear, linewidths=1.8)
            axes.contour(across, up, margins, levels=[0.0], colors=palette.alarm, linewidths=1.0)
        axes.set_facecolor(palette.ledge)  # where nothing is known
        axes.plot(
            [first.value], [second.value], marker="P", ms=9, color=palette.live, mec=palette.card
        )
        axes.set_xlabel(_label(first), color=palette.ink)
        axes.set_ylabel(_label(second), color=palette.ink)
        return figure


class _Ticks(AutoLocator):
    """Ticks at round numbers of a unit that is so many hertz."""

    def __init__(self, factor: float) -> None:
        super().__init__()
        self._factor = factor

    def tick_values(self, vmin: float, vmax: float) -> Any:
        return np.asarray(super().tick_values(self._factor * vmin, self._factor * vmax)) / (
            self._factor
        )


def _told_in(axis: Axis, shown: ShownUnits) -> str:
    """Mark a frequency axis in the unit shown; returns its label."""
    factor = shown.factor("frequency")
    if factor != 1.0:
        axis.set_major_locator(_Ticks(factor))
        axis.set_major_formatter(FuncFormatter(lambda hertz, _at: format_number(factor * hertz)))
    return f"frequency ({shown.unit('frequency')})"


def _figure(width: int, height: int, palette: Palette) -> tuple[Figure, Any]:
    figure = Figure((width / _DOTS, height / _DOTS), dpi=_DOTS, facecolor=palette.card)
    axes = figure.add_subplot()
    axes.set_facecolor(palette.card)
    axes.tick_params(colors=palette.muted, labelsize=7.5, length=3)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        axes.spines[side].set_color(palette.muted)
    return figure, axes


def _bands(
    axes: Axes, bands: Sequence[BandValue], margin: float, palette: Palette, upright: bool
) -> None:
    """Every band hatched, its margins lighter: across a map, or upright on a ruler."""
    span = axes.axvspan if upright else axes.axhspan
    line = axes.axvline if upright else axes.axhline
    for band in bands:
        span(*forbidden(band, margin), color=palette.margin_wash, lw=0, zorder=1)
    for band in bands:
        if band.high > band.low:
            span(
                band.low, band.high, facecolor=palette.alarm_wash, edgecolor=palette.alarm,
                hatch="////", lw=0, zorder=2,
            )  # fmt: skip
        else:
            line(band.low, color=palette.alarm, lw=1.0, zorder=2)
        if not upright:
            axes.annotate(
                band.name, (0, band.high), (4, 1), xycoords=("axes fraction", "data"),
                textcoords="offset points", color=palette.alarm, fontsize=7, zorder=7,
            )  # fmt: skip


def _number_pegs(
    axes: Axes, shown: Sequence[tuple[int, float]], top: float, palette: Palette
) -> None:
    """Numbers over the pegs; pegs too near for that share one."""
    groups: list[list[tuple[int, float]]] = []
    for peg in shown:
        if groups and peg[1] - groups[-1][0][1] < _NEAR * top:
            groups[-1].append(peg)
        else:
            groups.append([peg])
    for group in groups:
        numbers = [at + 1 for at, _ in group]
        text = str(numbers[0]) if len(numbers) == 1 else f"{numbers[0]}–{numbers[-1]}"
        middle = float(np.mean([frequency for _, frequency in group]))
        axes.annotate(
            text, (middle, 0.62), (0, 6), textcoords="offset points", ha="center",
            color=palette.ink, fontsize=7.5, zorder=7,
        )  # fmt: skip


def _branch_names(axes: Axes, sweep: Sweep, top: float, palette: Palette) -> None:
    """Branches by number and kind at their right ends, none over another."""
    ends = []
    for number, branch in enumerate(sweep.branches):
        known = np.flatnonzero(np.isfinite(branch.frequencies))
        if len(known):
            ends.append((float(branch.frequencies[known[-1]]), number, branch.kind))
    step, before = 0.034 * top, -np.inf
    for height, number, kind in sorted(ends):
        at = max(height, before + step)
        before = at
        words = f"{number + 1} {kind}"
        axes.annotate(
            words if len(words) < 42 else words[:40] + "…",
            (1, height), (1.012, at), xycoords=("axes fraction", "data"),
            textcoords=("axes fraction", "data"), va="center", fontsize=7,
            color=palette.branch(number), annotation_clip=False,
        )  # fmt: skip


def _label(knob: KnobValue) -> str:
    return f"{knob.name} ({knob.unit})" if knob.unit else knob.name


def _mark(identity: int) -> Any:
    """The outline that goes with a branch's colour."""
    mark = MARKS[identity % len(MARKS)]
    if mark == "shield":
        corners = [(-0.95, 0.95), (0.95, 0.95), (0.95, -0.3), (0, -1.2), (-0.95, -0.3)]
        return Outline([*corners, corners[0]], closed=True)
    return {"round": "o", "square": "s", "kite": "D", "hexagon": "h"}[mark]

"""Films of modes, and of a mode as a knob is turned: MP4 by av, GIF by Pillow."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from belltone.design.values import Design
from belltone.drawing.colours import DARK, LIGHT, Palette
from belltone.drawing.stills import Still, View, swing_at, taking
from belltone.errors import UserError
from belltone.files import writing
from belltone.modes.modeset import ModeSet
from belltone.progress import Progress
from belltone.sweep.runner import Sweep

__all__ = [
    "ENDINGS",
    "FilmError",
    "Reel",
    "film_modes",
    "film_sweep",
    "frame_count",
    "title_height",
    "written_over",
]

Pixels = NDArray[np.uint8]

ENDINGS: Final = (".mp4", ".gif")
_TITLE: Final = 0.085  # of the height
_LEAST_TITLE: Final = 34  # pixels
_RULER: Final = 0.19  # of the height
_COLOURS: Final = 255  # of a GIF
_SAMPLED: Final = 6  # frames a GIF's palette is made from
_SECONDS_A_MEGAPIXEL: Final = 0.1
_ANNOUNCED: Final = 100.0  # megapixels, from which on a film takes long
_QUALITY: Final = "20"  # of H.264: 0 loses nothing, 51 the most


class FilmError(UserError):
    """A film that cannot be made, in words for the user."""


@dataclass(frozen=True)
class Reel:
    """How a film runs: ``frames`` a cycle, ``cycles`` a mode, ``rate`` frames a second.

    Of ``half`` a cycle one side only is seen. ``turntable`` (degrees) is how far the component
    turns in a whole film. Without a ``title`` nothing is written on the picture.
    """

    view: View
    frames: int = 60
    cycles: int = 1
    rate: int = 30
    half: bool = False
    turntable: float = 0.0
    title: bool = True
    palette: Palette = LIGHT


def frame_count(reel: Reel, scenes: int) -> int:
    """How many frames a film of so many modes, or values of a knob, has."""
    return reel.frames * reel.cycles * scenes


def film_modes(
    design: Design,
    modes: ModeSet,
    places: Sequence[int],
    reel: Reel,
    path: Path,
    progress: Progress,
) -> None:
    """Write a film of modes by their places in the list, one after another.

    A full cycle begins and ends alike, so that it can run on. Raises `FilmError`, ``OSError``, and
    ``Cancelled`` with nothing written.
    """
    reel = _roomy(reel)
    total = frame_count(reel, len(places))

    def frames() -> Iterator[Pixels]:
        with taking(design, modes, reel.view, reel.palette) as still:
            for place in places:
                title = _title(design, modes, place)
                yield from _cycles(still, place, reel, title, total)

    _write(frames(), total, reel, path, progress)


def film_sweep(
    sweep: Sweep,
    designs: Sequence[Design | None],
    number: int,
    reel: Reel,
    path: Path,
    progress: Progress,
) -> None:
    """Write a film of one branch (from 1) as the knob goes, with the ruler below it.

    The mode goes on moving while the knob turns: at each value it is seen for ``frames`` frames,
    and it makes ``cycles`` cycles in all. Raises `FilmError`, ``OSError``, ``Cancelled``.
    """
    branch = sweep.branches[number - 1]
    there = [
        at
        for at, (found, design) in enumerate(zip(sweep.sets, designs, strict=True))
        if isinstance(found, ModeSet) and design is not None and branch.places[at] >= 0
    ]
    if not there:
        raise FilmError(f"branch {number} has no shape anywhere over {sweep.knob.name}")
    from belltone.drawing.charts import as_pixels, ruler_chart  # loads a library of its own

    strip = round(_RULER * reel.view.height)
    inner = _roomy(replace(reel, view=replace(reel.view, height=reel.view.height - strip)))
    total = reel.frames * len(there)
    tops = [float(np.nanmax(each.frequencies)) for each in sweep.branches]

    def frames() -> Iterator[Pixels]:
        first, modes = designs[there[0]], sweep.sets[there[0]]
        assert first is not None
        assert isinstance(modes, ModeSet)
        bands = [band.high for band in first.bands]
        span = 1.1 * max([*bands, *tops])
        with taking(first, modes, inner.view, reel.palette) as still:
            seen, way, before = 0, 1.0, None
            for at in there:
                design, found = designs[at], sweep.sets[at]
                assert design is not None
                assert isinstance(found, ModeSet)
                still.take(design, found)
                place = found.rigid_count + branch.places[at]
                signature = found.signatures[place]
                if before is not None and np.vdot(before, signature).real < 0:
                    way = -way  # a shape's sign is anybody's choice; on the way it must not jump
                before = signature
                identities = _identities(sweep, at, len(found.flexible))
                figure = ruler_chart(
                    design, found, reel.view.width, strip, branch.places[at], identities, span,
                    palette=reel.palette,
                )  # fmt: skip
                below = as_pixels(figure)[..., :3]
                head = f"{sweep.knob.name} = {sweep.knob.text(float(sweep.values[at]), 4)}"
                told = design.shown.frequency_text(float(branch.frequencies[at]), 4)
                title = (f"{head} · {told}", found.kinds[place])
                for _ in range(reel.frames):
                    swing, behind = swing_at(seen * reel.cycles / total, reel.half)
                    pixels = still.mode(place, way * swing, way * behind)
                    picture = _finished(pixels, inner, title)
                    if reel.turntable:
                        still.turn(reel.turntable / total)
                    seen += 1
                    yield np.concatenate([picture, below[:strip, : reel.view.width]])

    _write(frames(), total, reel, path, progress)


def _cycles(
    still: Still, place: int, reel: Reel, title: tuple[str, str], total: int
) -> Iterator[Pixels]:
    """One mode's frames. A mode that stands in space comes back the way it went."""
    known: dict[int, Pixels] = {}
    for number in range(reel.frames * reel.cycles):
        at = number % reel.frames
        if reel.turntable:
            still.turn(reel.turntable / total)
        elif at in known:
            yield known[at]
            continue
        swing = swing_at(at / reel.frames, reel.half)
        picture = _finished(still.mode(place, *swing), reel, title)
        if not reel.turntable:
            known[at] = picture
            if not still.whirls(place):
                known[reel.frames - at] = picture
        yield picture


def _identities(sweep: Sweep, at: int, count: int) -> list[int]:
    """The branch of each flexible mode at a value, so that pegs keep their colours."""
    spare = len(sweep.branches)
    found = [spare] * count
    for number, branch in enumerate(sweep.branches):
        if branch.places[at] >= 0:
            found[branch.places[at]] = number
    return found


def written_over(
    pixels: Pixels, design: Design, modes: ModeSet, place: int, view: View, palette: Palette
) -> Pixels:
    """A picture of a mode with its number, frequency and kind written in its headroom."""
    reel = Reel(view, palette=palette)
    titled = _finished(pixels, reel, _title(design, modes, place))
    return np.concatenate([titled, pixels[..., 3:]], axis=2)


def title_height(height: int) -> int:
    """How many pixels on top the words of a picture so high take."""
    return max(_LEAST_TITLE, round(_TITLE * height))


def _roomy(reel: Reel) -> Reel:
    """With clear room on top for the title."""
    return replace(reel, view=replace(reel.view, headroom=_title_height(reel)))


def _title_height(reel: Reel) -> int:
    return title_height(reel.view.height) if reel.title else 0


def _title(design: Design, modes: ModeSet, place: int) -> tuple[str, str]:
    mode = modes.mode(place)
    if mode.rigid:
        return "Rigid motion", mode.kind
    return f"Mode {mode.number} · {design.shown.frequency_text(mode.frequency)}", mode.kind


@lru_cache
def _font(size: int, bold: bool) -> Any:
    name = "DejaVuSans-Bold.ttf" if bold else "DejaVuSans.ttf"
    folder = files("matplotlib").joinpath("mpl-data/fonts/ttf")
    return ImageFont.truetype(str(folder.joinpath(name)), size)


def _finished(pixels: Pixels, reel: Reel, title: tuple[str, str]) -> Pixels:
    """A frame without its fourth value, with what is seen written on top."""
    picture = np.ascontiguousarray(pixels[..., :3])
    high = _title_height(reel)
    if not high:
        return picture
    key = (*title, reel.view.width, high, reel.palette.name)
    mask, colours = _written(*key)
    strip = picture[:high].astype(np.float32)
    picture[:high] = (strip + mask * (colours - strip)).astype(np.uint8)
    return picture


@lru_cache(maxsize=64)
def _written(
    head: str, text: str, width: int, high: int, theme: str
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The words over a picture: how much they cover, and their colours."""
    palette = DARK if theme == DARK.name else LIGHT
    layer = Image.new("RGBA", (width, high), (0, 0, 0, 0))
    draw = ImageDraw.Draw(layer)
    large, small = _font(round(0.42 * high), True), _font(round(0.3 * high), False)
    left = round(0.35 * high)
    draw.text((left, round(0.08 * high)), head, fill=palette.ink, font=large)
    room = width - 2 * left
    note = "relative motion"
    aside = draw.textlength(note, font=small)
    draw.text((width - left - aside, round(0.16 * high)), note, fill=palette.muted, font=small)
    while text and draw.textlength(text, font=small) > room:
        text = text[:-2].rstrip("…") + "…" if len(text) > 2 else ""
    draw.text((left, round(0.6 * high)), text, fill=palette.muted, font=small)
    pixels = np.asarray(layer, np.float32)
    return pixels[..., 3:] / 255.0, pixels[..., :3]


def _write(
    frames: Iterator[Pixels], total: int, reel: Reel, path: Path, progress: Progress
) -> None:
    written: Callable[[Iterator[Pixels], Reel, Path], None]
    written = _write_gif if path.suffix.lower() == ".gif" else _write_mp4

    megapixels = total * reel.view.width * reel.view.height / 1e6
    if megapixels > _ANNOUNCED:
        seconds = round(megapixels * _SECONDS_A_MEGAPIXEL, -1)
        progress.announce(f"{total} frames; about {seconds:.0f} s")

    def watched() -> Iterator[Pixels]:
        for number, frame in enumerate(frames):
            progress.report(number, total, "film")
            yield frame

    with writing(path) as place:
        written(watched(), reel, place)


def _write_mp4(frames: Iterator[Pixels], reel: Reel, path: Path) -> None:
    # Loaded only where it is needed: it takes a while.
    import av

    width, height = (size - size % 2 for size in (reel.view.width, reel.view.height))
    with av.open(str(path), "w", format="mp4") as container:
        stream: Any = container.add_stream("libx264", rate=Fraction(reel.rate))
        stream.width, stream.height = width, height
        stream.pix_fmt = "yuv420p"  # what every player shows
        stream.options = {"crf": _QUALITY, "preset": "veryfast"}
        for frame in frames:
            whole = np.ascontiguousarray(frame[:height, :width])
            container.mux(stream.encode(av.VideoFrame.from_ndarray(whole, format="rgb24")))
        container.mux(stream.encode())


def _write_gif(frames: Iterator[Pixels], reel: Reel, path: Path) -> None:
    pictures = [Image.fromarray(frame) for frame in frames]
    chosen = pictures[:: max(1, math.ceil(len(pictures) / _SAMPLED))]
    tall = Image.new("RGB", (chosen[0].width, sum(each.height for each in chosen)))
    at = 0
    for each in chosen:
        tall.paste(each, (0, at))
        at += each.height
    # One palette for all frames: with one each, colours that stand still would flicker.
    palette = tall.quantize(_COLOURS)
    flat = [each.quantize(palette=palette, dither=Image.Dither.NONE) for each in pictures]
    hundredths = max(2, round(100 / reel.rate))
    flat[0].save(
        path, format="GIF", save_all=True, append_images=flat[1:], duration=10 * hundredths, loop=0
    )

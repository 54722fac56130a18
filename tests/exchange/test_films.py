"""Films, decoded again."""

import re
from pathlib import Path
from types import SimpleNamespace
from typing import NamedTuple

import av
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image, ImageSequence

from belltone.design.values import Design
from belltone.drawing.options import SceneOptions
from belltone.drawing.stills import View, plain, swing_at, taking
from belltone.exchange.films import Reel, film_modes
from belltone.exchange.handed import _branch_of
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import request_for, solve_modes
from belltone.progress import Cancelled, Progress
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import read_sheet
from tests.conftest import Run

Frames = list[NDArray[np.int64]]


@pytest.fixture(scope="module")
def design() -> Design:
    return evaluate(read_sheet(demo_sheet()))


@pytest.fixture(scope="module")
def modes(design: Design) -> ModeSet:
    return solve_modes(design, request_for(design))


def _mp4(path: Path) -> tuple[Frames, float]:
    with av.open(str(path)) as film:
        stream = film.streams.video[0]
        frames = [np.asarray(f.to_ndarray(format="rgb24"), int) for f in film.decode(stream)]
        return frames, float(stream.duration * stream.time_base)


def _apart(one: NDArray[np.int64], other: NDArray[np.int64]) -> float:
    return float(np.abs(one - other).mean())


def test_a_full_cycle_joins(tmp_path: Path, design: Design, modes: ModeSet) -> None:
    path = tmp_path / "mode.mp4"
    reel = Reel(View(480, 270), frames=24, cycles=2, rate=24)
    film_modes(design, modes, [2], reel, path, Progress())
    frames, seconds = _mp4(path)
    assert len(frames) == 48
    assert frames[0].shape == (270, 480, 3)
    assert seconds == pytest.approx(2.0, abs=0.05)
    step = _apart(frames[0], frames[1])
    assert _apart(frames[-1], frames[0]) < 3 * step + 0.5  # one step on it begins again
    assert _apart(frames[0], frames[12]) > 5 * _apart(frames[0], frames[24])
    assert _apart(frames[0], frames[12]) > 1.0
    assert not list(tmp_path.glob(".*"))


def test_a_gif_with_one_palette(tmp_path: Path, design: Design, modes: ModeSet) -> None:
    path = tmp_path / "mode.gif"
    film_modes(design, modes, [0], Reel(View(320, 180), frames=8, rate=20), path, Progress())
    with Image.open(path) as film:
        assert film.n_frames == 8  # type: ignore[attr-defined]
        assert film.info["loop"] == 0
        assert film.info["duration"] == 50
        frames = [np.asarray(f.convert("RGB"), int) for f in ImageSequence.Iterator(film)]
    assert frames[0].shape == (180, 320, 3)
    still = np.all(np.array(frames) == frames[0], axis=(0, 3))
    assert 0.5 < still.mean() < 0.999  # nothing flickers where nothing moves
    assert _apart(frames[0], frames[4]) > 1.0


def test_modes_in_a_row_turn_with_the_table(tmp_path: Path, design: Design, modes: ModeSet) -> None:
    path = tmp_path / "two.mp4"
    reel = Reel(View(320, 180), frames=6, rate=12, turntable=180.0)
    film_modes(design, modes, [0, 1], reel, path, Progress())
    frames, _ = _mp4(path)
    assert len(frames) == 12
    assert _apart(frames[0], frames[6]) > 1.0


def test_half_a_cycle_keeps_to_one_side() -> None:
    swings = [swing_at(k / 12, half=True)[0] for k in range(12)]
    assert min(swings) == pytest.approx(0.0, abs=1e-12)
    assert max(swings) == 1.0
    full = [swing_at(k / 12)[0] for k in range(12)]
    assert min(full) == -1.0


def test_a_stop_leaves_nothing(tmp_path: Path, design: Design, modes: ModeSet) -> None:
    path = tmp_path / "mode.mp4"
    path.write_bytes(b"the film of yesterday")
    seen: list[int] = []

    def listen(done: int, total: int, _text: str) -> None:
        seen.append(total)
        if done == 3:
            progress.cancel()

    progress = Progress(listen)
    with pytest.raises(Cancelled):
        film_modes(design, modes, [0], Reel(View(320, 180), frames=20), path, progress)
    assert seen == [20] * 4
    assert path.read_bytes() == b"the film of yesterday"
    assert not list(tmp_path.glob(".*"))


def test_what_takes_long_says_so(tmp_path: Path, design: Design, modes: ModeSet) -> None:
    said: list[str] = []

    def listen(_done: int, _total: int, _text: str) -> None:
        progress.cancel()

    progress = Progress(listen, said.append)
    reel = Reel(View(1280, 720), frames=600)
    with pytest.raises(Cancelled):
        film_modes(design, modes, [0], reel, tmp_path / "x.mp4", progress)
    assert said == ["600 frames; about 60 s"]


def test_pictures_see_through_and_bare(design: Design, modes: ModeSet) -> None:
    view = View(320, 180, transparent=True, options=plain(SceneOptions()))
    with taking(design, modes, view) as still:
        bare = still.mode(0)
    assert bare[0, 0, 3] == 0
    solid = (bare[..., 3] > 250).mean()
    with taking(design, modes, View(320, 180, transparent=True)) as still:
        full = still.mode(0)
    # The drive unit, the posts and the shape at rest are gone; the rail is there in both.
    assert 0.01 < solid < (full[..., 3] > 250).mean()
    with taking(design, modes, View(320, 180)) as still:
        assert (still.rest()[..., 3] == 255).all()


def test_a_heading_is_the_same_view(design: Design, modes: ModeSet) -> None:
    with taking(design, modes, View(320, 180, "y")) as still:
        named, heading = still.mode(0), still.scene.eye.heading
    with taking(design, modes, View(320, 180, heading)) as still:
        again = still.mode(0)
    assert heading[0] == pytest.approx((0, 1, 0))
    assert _apart(named.astype(int), again.astype(int)) < 0.2


def test_a_film_along_a_knob(run: Run, rail_path: Path) -> None:
    target = rail_path.with_name("wall.mp4")
    code, out, err = run(
        "film", rail_path, "--mode", 2, "--over", "wall=2 mm:6 mm:3", "--frames", 4,
        "--size", "480x300", "-o", target,
    )  # fmt: skip
    assert (code, out, err) == (0, f"wrote {target}\n", "")
    frames, _ = _mp4(target)
    assert len(frames) == 12
    ruler = [frame[250:] for frame in frames]
    assert _apart(ruler[0], ruler[-1]) > 0.5  # pegs have moved
    assert _apart(ruler[0], ruler[1]) < 0.5 * _apart(ruler[0], ruler[-1])


class _Branch(NamedTuple):
    places: tuple[int, ...]


def test_a_mode_is_followed_from_where_the_design_stands(modes: ModeSet) -> None:
    """Modes 2 and 3 have changed places at the sweep's first value."""
    sweep = SimpleNamespace(
        sets=(modes, None, modes),
        values=np.array([1.0, 2.9, 3.2]),
        knob=SimpleNamespace(value=3.0, name="wall"),
        branches=(_Branch((0, -1, 0)), _Branch((1, -1, 2)), _Branch((2, -1, 1))),
    )
    assert [_branch_of(sweep, number) for number in (1, 2, 3)] == [1, 3, 2]  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("--mode", 1, "-o", "x.avi"), "its ending must be .mp4 or .gif"),
        (("-o", "x.mp4"), "say which mode"),
        (("--mode", 99, "-o", "x.mp4"), "there is no mode 99: 10 were found"),
        (("--mode", 99, "--over", "wall=2 mm:3 mm:3", "-o", "x.mp4"), "there is no mode 99 that"),
        (("--all", "--over", "wall=2 mm:3 mm:3", "-o", "x.mp4"), "along a knob one mode is shown"),
        (("--mode", 1, "-o", "infeed_rail.results.sqlite"), "would replace"),
    ],
)
def test_what_cannot_be_filmed(
    run: Run, rail_path: Path, arguments: tuple[object, ...], words: str
) -> None:
    rail_path.with_name("infeed_rail.results.sqlite").touch()
    *rest, name = arguments
    code, _, err = run("film", rail_path, *rest, rail_path.with_name(str(name)))
    assert code == 1
    assert words in err
    assert not rail_path.with_name("x.mp4").exists()


def test_sizes_that_can_be_drawn(run: Run, rail_path: Path) -> None:
    target = rail_path.with_name("x.mp4")
    for text in ("big", "9000x20"):
        code, _, err = run("film", rail_path, "--mode", 1, "--size", text, "-o", target)
        assert code == 2
        assert "pixels each way" in err or "WIDTHxHEIGHT" in err


def _png(path: Path) -> NDArray[np.int64]:
    with Image.open(path) as picture:
        return np.asarray(picture, int)


def test_pictures_on_the_command_line(run: Run, rail_path: Path) -> None:
    full, bare = rail_path.with_name("full.png"), rail_path.with_name("bare.png")
    size = ("--mode", 2, "--size", "480x270")
    code, out, err = run("picture", rail_path, *size, "-o", full)
    assert (code, out, err) == (0, f"wrote {full}\n", "")
    assert run("picture", rail_path, *size, "--bare", "--see-through", "-o", bare)[0] == 0
    words, none = _png(full), _png(bare)
    assert words.shape == (270, 480, 3)
    assert none.shape == (270, 480, 4)
    assert (words[:34].min(axis=2) < 90).any()  # its number and frequency
    assert (none[:34, :, 3] == 0).all()
    rest = rail_path.with_name("rest.png")
    component = ("--what", "component", "--size", "480x270", "-o", rest)
    assert run("picture", rail_path, *component)[0] == 0
    assert _apart(_png(rest), words) > 0.5


@pytest.mark.parametrize("what", ["ruler", "one knob"])
def test_charts_on_the_command_line(run: Run, rail_path: Path, what: str) -> None:
    target = rail_path.with_name("chart.svg")
    code, _, _ = run("picture", rail_path, "--what", what, "-o", target)
    assert code == 0
    text = target.read_text(encoding="utf-8")
    assert text.startswith("<?xml")
    assert ">mains hum</text>" in text
    assert "frequency (Hz)" in text
    assert "http" not in re.sub(r'xmlns(:\w+)?="[^"]+"', "", text)


def test_pictures_of_a_loaded_state(run: Run, tmp_path: Path) -> None:
    sheet = tmp_path / "heated.toml"
    sheet.write_text(demo_sheet("heated_rail").read_text(encoding="utf-8"), encoding="utf-8")
    seen = []
    for what in ("displacement", "stress", "buckling"):
        target = tmp_path / f"{what}.png"
        asked = ("--what", what, "--size", "320x180", "-o", target)
        assert run("picture", sheet, *asked)[0] == 0
        seen.append(_png(target))
    assert _apart(seen[0], seen[1]) > 0.05
    assert _apart(seen[1], seen[2]) > 0.05
    asked = ("--what", "buckling", "--mode", 99, "-o", tmp_path / "x.png")
    code, _, err = run("picture", sheet, *asked)
    assert code == 1
    assert "buckling shapes were found" in err


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("--what", "stress"), "there is no loaded state"),
        (("--mode", 99), "there is no mode 99: 10 were found"),
    ],
)
def test_what_cannot_be_pictured(
    run: Run, rail_path: Path, arguments: tuple[object, ...], words: str
) -> None:
    code, _, err = run("picture", rail_path, *arguments, "-o", rail_path.with_name("x.png"))
    assert code == 1
    assert words in err
    code, _, err = run("picture", rail_path, "-o", rail_path.with_name("x.svg"))
    assert code == 1
    assert "its ending must be .png" in err

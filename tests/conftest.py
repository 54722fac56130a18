"""Fixtures shared by all tests: a home of their own, and sheets to test on."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
if not os.environ.get("DISPLAY"):
    os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkEGLRenderWindow")

import pytest
from hypothesis import settings

from belltone.cli import program
from belltone.design.values import Design
from belltone.geometry.solids import received
from belltone.modes import solution
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet
from belltone.sweep.pool import start_workers
from belltone.system.lanczos import lowest_modes
from belltone.tune import plane

# Solving is fast but a shared machine is not always; a slow example is no failure. The suite
# takes the same few examples every time, so that a change answers for what it breaks alone;
# thousands are for `make fuzz`.
settings.register_profile("belltone", deadline=None, derandomize=True, max_examples=50)
settings.register_profile("long", deadline=None, max_examples=3000)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "belltone"))

_LONGEST = ("days", "tune", "system", "exchange", "desk")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Begin with what takes longest, so that no process has work left when the others are done."""
    items.sort(
        key=lambda item: next(
            (place for place, name in enumerate(_LONGEST) if f"/{name}/" in str(item.path)),
            len(_LONGEST),
        )
    )


Run = Callable[..., tuple[int, str, str]]
"""The command line in this process: exit code, output, errors."""

STEEL = """
[materials.steel]
density = "7850 kg/m^3"
youngs_modulus = "200 GPa"
poisson_ratio = 0.3
"""


def bar_text(section: str, length: str = "1 m", rest: str = "", taper: str = "") -> str:
    """A sheet with one steel bar along x."""
    end = f"section_at_end = {{ {taper} }}\n" if taper else ""
    return (
        f'belltone = 1\n{STEEL}\n[parts.bar]\nkind = "member"\nmaterial = "steel"\n'
        f'length = "{length}"\nsection = {{ {section} }}\n{end}{rest}\n'
    )


def held(site: str, hold: str) -> str:
    """One support; ``hold`` is TOML."""
    return f'[[supports]]\nsite = "{site}"\nhold = {hold}\n'


CLAMPED = held("bar.start", '"clamped"')


@pytest.fixture(scope="session")
def read_parts(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where CAD files are kept as they were read, by their content, for all tests and processes."""
    base = tmp_path_factory.getbasetemp()
    folder = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "read parts"
    folder.mkdir(exist_ok=True)
    return folder


@pytest.fixture(autouse=True)
def _own_home(
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    read_parts: Path,
    request: pytest.FixtureRequest,
) -> None:
    for name in ("XDG_STATE_HOME", "XDG_CACHE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name.lower()))
    if "nothing_read" not in request.fixturenames:
        kept = tmp_path / "xdg_cache_home" / "belltone"
        kept.mkdir(parents=True)
        (kept / "skins").symlink_to(read_parts, target_is_directory=True)


@pytest.fixture
def nothing_read() -> None:
    """No CAD file was read before."""


@pytest.fixture
def read_apart() -> None:
    """CAD files are read in a process of its own, as they always are outside tests."""


@pytest.fixture(autouse=True)
def _read_here(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Read CAD files in this process, which loads the CAD kernel once for all of them."""
    if "read_apart" not in request.fixturenames:

        def convert(path: Path, target: Path, _progress: object) -> None:
            received._write(path, target)

        monkeypatch.setattr(received, "_convert", convert)


@pytest.fixture
def bar() -> Callable[..., Design]:
    """Make a design of one steel bar; arguments as `bar_text`."""
    return lambda *args, **kwargs: evaluate(Sheet.from_text(bar_text(*args, **kwargs)))


@pytest.fixture
def rail_path(tmp_path: Path) -> Path:
    """A copy of the demo sheet in a folder of its own."""
    path = tmp_path / "infeed_rail.toml"
    path.write_text(demo_sheet().read_text(encoding="utf-8"), encoding="utf-8")
    return path


@pytest.fixture
def rail(rail_path: Path) -> Sheet:
    """The demo sheet."""
    return Sheet.from_text(rail_path.read_text(encoding="utf-8"))


@pytest.fixture(scope="session")
def workers() -> Iterator[ProcessPoolExecutor]:
    """Worker processes shared by all tests."""
    with start_workers(2) as pool:
        yield pool


@pytest.fixture
def coarse_maps(monkeypatch: pytest.MonkeyPatch) -> None:
    """Maps of two knobs end before their finest level, which takes longer than all the others."""
    monkeypatch.setattr(plane, "_LEVELS", plane._LEVELS[:-1])


@pytest.fixture
def solutions(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Sizes of the systems whose modes are solved for, one for each solution."""
    found: list[int] = []

    def counted(*arguments: Any, **named: Any) -> Any:
        found.append(arguments[0].shape[0])
        return lowest_modes(*arguments, **named)

    monkeypatch.setattr(solution, "lowest_modes", counted)
    return found


@pytest.fixture
def run(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> Run:
    """Run the command line in this process; returns exit code, output and errors."""

    def call(*arguments: object) -> tuple[int, str, str]:
        monkeypatch.setattr(sys, "argv", ["belltone", *map(str, arguments)])
        code: object = 0
        try:
            program.main()
        except SystemExit as ended:
            code = ended.code or 0
        out, err = capsys.readouterr()
        return int(str(code)), out, err

    return call

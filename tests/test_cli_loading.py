"""What the command line loads and needs before it can answer."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest

from tests.assemblies import STEEL, plate
from tests.assemblies import held as held_at
from tests.conftest import Run


def test_the_program_runs_by_its_name(rail_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "belltone", "check", str(rail_path)],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0
    assert done.stdout.startswith(str(rail_path))
    version = subprocess.run(
        [sys.executable, "-m", "belltone", "--version"], capture_output=True, text=True, check=True
    )
    assert version.stdout.startswith("belltone 0.")


def test_the_core_loads_no_window_library() -> None:
    code = (
        "import sys, belltone.cli.program; window = {'PySide6', 'pyqtgraph', 'vtkmodules'}; "
        "sys.exit(any(name.split('.')[0] in window for name in sys.modules))"
    )
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0


def test_reading_units_loads_no_cluster_library() -> None:
    code = (
        "import sys, belltone.sheet.units; "
        "assert 'dask' not in sys.modules; "
        "import importlib.util as util, belltone.sheet.units as units; "
        "assert units.convert(1.0, units.DIMENSIONS['length'], 'mm') == 1000.0; "
        "sys.exit(0 if util.find_spec('dask') is not None else 5)"  # it is there for who wants it
    )
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0


def test_check_and_mass_need_no_matrices(
    run: Run, rail_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from belltone.elements.line import LineElements
    from belltone.system.assembly import Assembly

    def never(*_: object) -> None:
        raise AssertionError("a matrix was made")

    monkeypatch.setattr(LineElements, "stiffness", never)
    monkeypatch.setattr(Assembly, "system", never)
    code, out, _ = run("check", rail_path)
    assert code == 0
    assert "17.36 kg in all" in out


def test_memory_that_does_not_suffice_is_told_before_it_is_used(
    run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "plate.toml"
    text = "belltone = 1\n" + STEEL + plate("p", 300, 200, (0, 0, 0)) + held_at("p.west")
    path.write_text(text, encoding="utf-8")
    monkeypatch.setattr("belltone.system.factor.free_memory", lambda: 3e8)
    # What was analysed before needs no more memory.
    monkeypatch.setattr("belltone.system.factor._kept", [])
    code, _, err = run("modes", path)
    assert code == 1
    assert re.search(
        r"a matrix of \d+ unknowns needs 0\.4\d? GB of memory, and 0\.3 GB are free", err
    )


def test_commands_load_no_more_than_they_need() -> None:
    program = (
        "import sys, belltone.cli.program; from typer.main import get_command; "
        "found = get_command(belltone.cli.program.app); "
        "assert 'numpy' not in sys.modules, 'numpy'; "
        "found.get_command(None, 'check'); "
        "heavy = {'scipy.spatial', 'scipy.optimize', 'scipy.interpolate', 'meshio', 'rich.table', "
        "'multiprocessing.forkserver', 'belltone.store.results', 'PySide6', 'vtkmodules'}; "
        "assert not heavy & set(sys.modules), heavy & set(sys.modules)"
    )
    subprocess.run([sys.executable, "-c", program], check=True, timeout=60)


def test_modes_of_a_plate_load_no_more_than_they_need(tmp_path: Path) -> None:
    path = tmp_path / "plate.toml"
    path.write_text(
        'belltone = 1\n[parts.p]\nkind = "plate"\nmaterial = "structural steel"\n'
        'thickness = "5 mm"\n'
        'outline = { shape = "rectangle", width = "400 mm", height = "300 mm" }\n'
        '[[supports]]\nsite = "p.west"\nhold = "clamped"\n[modes]\ncount = 2\n'
    )
    program = (
        "import sys, belltone.cli.program as program\n"
        "try: program.app(sys.argv[1:])\n"
        "except SystemExit as ended: assert not ended.code\n"
        "assert 'belltone.modes.patterns' in sys.modules\n"
        "heavy = {'scipy.optimize', 'scipy.interpolate', 'scipy.stats', 'meshio', 'PySide6'}\n"
        "assert not heavy & set(sys.modules), heavy & set(sys.modules)"
    )
    command = [sys.executable, "-c", program, "modes", str(path)]
    subprocess.run(command, check=True, timeout=60, stdout=subprocess.DEVNULL)

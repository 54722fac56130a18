import sqlite3
from collections.abc import Callable
from dataclasses import fields
from pathlib import Path

import numpy as np
import pytest

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation
from belltone.modes.modeset import ModeSet
from belltone.modes.shares import EnergyShares
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore, result_key, store_path

REQUEST = ModeRequest(4, None, 1e-3)


@pytest.fixture
def result(bar: Callable[..., Design]) -> ModeSet:
    return solve_modes(bar('shape = "solid round", diameter = "20 mm"'), REQUEST)


def test_a_result_comes_back_as_it_was(tmp_path: Path, result: ModeSet) -> None:
    with ResultStore(tmp_path / "r.sqlite") as store:
        store.put("key", result)
    with ResultStore(tmp_path / "r.sqlite") as store:
        found = store.get("key")
        assert store.get("other") is None
    assert found is not None
    _compare(result, found)


_SINGLE = {
    "shapes", "densities", "motion_densities", "signatures",
    "element_centres", "element_strain", "element_motion",
}  # fmt: skip


def _compare(result: ModeSet | EnergyShares, found: ModeSet | EnergyShares) -> None:
    for field in fields(result):
        old, new = getattr(result, field.name), getattr(found, field.name)
        if isinstance(old, np.ndarray):
            tolerance = 1e-6 if field.name in _SINGLE else 0
            assert new == pytest.approx(old, abs=tolerance)
        elif isinstance(old, EnergyShares):
            _compare(old, new)
        else:
            assert new == old


def test_keys_follow_the_inputs(rail: Sheet) -> None:
    disc = Discretisation(1, 5)
    base = result_key(rail, {}, REQUEST, disc)
    assert result_key(rail, {"wall": "3 mm"}, REQUEST, disc) == base
    assert result_key(rail, {"wall": "4 mm"}, REQUEST, disc) != base
    assert result_key(rail, {}, ModeRequest(5, None, 1e-3), disc) != base
    assert result_key(rail, {}, REQUEST, Discretisation(1, 6)) != base
    assert result_key(rail.with_value(("title",), "x"), {}, REQUEST, disc) == base


def test_a_damaged_file_is_set_aside(tmp_path: Path, result: ModeSet) -> None:
    path = tmp_path / "r.sqlite"
    path.write_bytes(b"this is no database" * 100)
    with ResultStore(path) as store:
        store.put("key", result)
        assert len(store) == 1
    assert (tmp_path / "r.sqlite.damaged-1").exists()


def test_a_damaged_entry_counts_as_absent(tmp_path: Path, result: ModeSet) -> None:
    path = tmp_path / "r.sqlite"
    with ResultStore(path) as store:
        store.put("key", result)
    connection = sqlite3.connect(path)
    connection.execute("UPDATE results SET payload = x'00'")
    connection.commit()
    connection.close()
    with ResultStore(path) as store:
        assert store.get("key") is None


def test_two_programs_may_use_one_file(tmp_path: Path, result: ModeSet) -> None:
    path = tmp_path / "r.sqlite"
    with ResultStore(path) as first, ResultStore(path) as second:
        first.put("a", result)
        second.put("b", result)
        assert len(first) == len(second) == 2


def test_results_lie_beside_the_sheet_or_in_the_cache(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    sheet = tmp_path / "rail.toml"
    assert store_path(sheet) == tmp_path / "rail.results.sqlite"
    monkeypatch.setattr("belltone.store.results.os.access", lambda *_: False)
    assert store_path(sheet).parent == tmp_path / "xdg_cache_home" / "belltone"
    assert store_path(None).name == "unsaved.results.sqlite"

"""Results of another method are never used."""

import json
import runpy
import sys
from pathlib import Path

import pytest

from belltone.modes.solve import request_for
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.store import results

ROOT = Path(__file__).resolve().parents[2]


@pytest.mark.skipif(sys.version_info[:2] != (3, 11), reason="recorded with Python 3.11")
def test_the_version_is_raised_whenever_the_code_changes() -> None:
    recorded = json.loads((ROOT / "tests" / "store" / "method.json").read_text(encoding="utf-8"))
    module = runpy.run_path(str(ROOT / "scripts" / "record_method.py"))
    now = {"method": module["method"](), "digest": module["digest"]()}
    assert now == recorded, "raise _METHOD in store/results.py, then run `make method`"


def test_another_version_has_other_keys(rail: Sheet, monkeypatch: pytest.MonkeyPatch) -> None:
    request = request_for(evaluate(rail))
    before = results.result_key(rail, {}, request, None)
    monkeypatch.setattr(results, "_METHOD", results._METHOD + 1)
    assert results.result_key(rail, {}, request, None) != before

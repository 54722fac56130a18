from pathlib import Path

import pytest

from belltone.store.failures import record_failure


def failing() -> BaseException:
    try:
        raise ArithmeticError("no pivot")
    except ArithmeticError as error:
        return error


def test_a_failure_is_logged_in_full_and_told_in_a_line(tmp_path: Path) -> None:
    told = record_failure(failing())
    assert "\n" not in told
    assert told.startswith(
        "an error inside the program (ArithmeticError: no pivot); details are in"
    )
    log = tmp_path / "xdg_state_home" / "belltone" / "failures.log"
    assert "Traceback" in log.read_text(encoding="utf-8")


def test_no_place_for_a_log_is_no_second_failure(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", "/proc/nowhere")
    assert record_failure(failing()) == "an error inside the program (ArithmeticError: no pivot)"

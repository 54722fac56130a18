from pathlib import Path

import pytest

from belltone.errors import UserError
from belltone.store.failures import error_words


def failing() -> BaseException:
    try:
        raise ArithmeticError("no pivot")
    except ArithmeticError as error:
        return error


def test_a_failure_is_logged_in_full_and_told_in_a_line(tmp_path: Path) -> None:
    told = error_words(failing())
    assert "\n" not in told
    assert told.startswith(
        "an error inside the program (ArithmeticError: no pivot); details are in"
    )
    log = tmp_path / "xdg_state_home" / "belltone" / "failures.log"
    assert "Traceback" in log.read_text(encoding="utf-8")


def test_an_error_made_for_the_user_says_what_it_says(tmp_path: Path) -> None:
    assert error_words(UserError("“wall” is no knob")) == "“wall” is no knob"
    assert not (tmp_path / "xdg_state_home").exists()


def test_no_place_for_a_log_is_no_second_failure(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", "/proc/nowhere")
    assert error_words(failing()) == "an error inside the program (ArithmeticError: no pivot)"

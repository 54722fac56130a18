import pytest

from belltone.sheet.plain import PlainValueError, plain_value
from belltone.sheet.units import DIMENSIONS


def test_values_with_units_and_arithmetic() -> None:
    assert plain_value(" 1500 rpm", DIMENSIONS["frequency"]) == pytest.approx(25)
    assert plain_value("2*30 mm", DIMENSIONS["length"]) == pytest.approx(0.06)
    assert plain_value("0.3", DIMENSIONS["number"]) == 0.3


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("50", "“50” has no unit; a frequency is needed: “50 Hz”?"),
        ("wall", "“wall” names something; a frequency is needed, such as “50 Hz”"),
        ("50 kg", "“50 kg”: this is a mass, where a frequency"),
        ("50 furlong", "not a unit known here"),
        ("", "empty"),
        ("1/0", "divides by zero"),
    ],
)
def test_others_are_explained(text: str, says: str) -> None:
    with pytest.raises(PlainValueError) as caught:
        plain_value(text, DIMENSIONS["frequency"])
    assert says in str(caught.value)

"""What is wrong, in one line."""

from belltone.sheet.errors import Finding, Path, in_a_line

LENGTH: Path = ("parts", "arm", "length")


def test_what_is_alone_or_where_one_looks_needs_no_place() -> None:
    assert in_a_line([Finding(LENGTH, "too short")]) == "too short"
    two = [Finding(("points", 1, "at"), "beyond the end"), Finding(LENGTH, "too short")]
    assert in_a_line(two, LENGTH) == "too short; beyond the end (points 2 · at)"


def test_each_thing_is_said_once_however_often_it_holds() -> None:
    same = [Finding(("points", place, "at"), "this is an angle") for place in range(11)]
    assert in_a_line(same) == "this is an angle (points 1 · at and 10 more)"


def test_of_many_things_the_first_are_said() -> None:
    many = [Finding(("points", place, "at"), f"no place {place}") for place in range(5)]
    assert in_a_line(many).endswith("no place 2 (points 3 · at); and 2 more")

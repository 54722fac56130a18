"""Frames: members between nodes, what joins them, what nearly does."""

import pytest

from belltone.design.parts import MemberValue
from belltone.mesh.discretisation import Discretisation
from belltone.system.assembly import assemble
from tests.assemblies import design_of, findings, frame, held

PORTAL = {"a": (0, 0, 0), "b": (0, 0, 800), "c": (600, 0, 800), "d": (600, 0, 0)}
SIDES = {
    "left": 'from = "a", to = "b"',
    "top": 'from = "b", to = "c"',
    "right": 'from = "c", to = "d"',
}


def test_members_meet_at_nodes() -> None:
    design = design_of(frame(PORTAL, SIDES))
    assert [part.name for part in design.parts] == ["f.left", "f.top", "f.right"]
    assert all(isinstance(part, MemberValue) and part.within == "f" for part in design.parts)
    assert [joint.how for joint in design.joints] == ["welded", "welded"]
    assert all(joint.implied for joint in design.joints)
    assert {"f.a", "f.b", "f.c", "f.d", "f.left.start", "f.top.end"} <= set(design.places)
    assert not design.warnings


def test_a_member_that_meets_another_on_its_way_is_joined_there() -> None:
    nodes = PORTAL | {"k": (0, 0, 300), "m": (600, 0, 300)}
    design = design_of(frame(nodes, SIDES | {"tie": 'from = "k", to = "m"'}))
    tees = [joint for joint in design.joints if " at " in joint.second.words]
    assert [joint.second.words for joint in tees] == ["f.left at 300 mm", "f.right at 500 mm"]
    system = assemble(design, Discretisation(1, 3))
    assert len(system.rigid_names) == 6
    assert not any("mechanism" in name for name in system.rigid_names)


def test_a_near_miss_is_told_with_its_gap() -> None:
    nodes = PORTAL | {"k": (4, 0, 300), "m": (600, 0, 300)}
    design = design_of(frame(nodes, SIDES | {"tie": 'from = "k", to = "m"'}))
    said = [str(warning) for warning in design.warnings]
    assert any("“f.tie.start” and “f.left” come within 4 mm" in words for words in said)
    wider = design_of(frame(nodes, SIDES | {"tie": 'from = "k", to = "m"'}, 'tolerance = "5 mm"'))
    assert not wider.warnings
    assert len(wider.joints) == 4


def test_ends_that_miss_each_other_are_told() -> None:
    nodes = PORTAL | {"e": (600, 3, 800)}
    sides = SIDES | {"right": 'from = "e", to = "d"'}
    design = design_of(frame(nodes, sides))
    assert any("come within 3 mm" in str(warning) for warning in design.warnings)
    assert len(design.joints) == 1


@pytest.mark.parametrize(
    ("hinged", "left"),
    [
        ("", 0),
        (', hinged = ["start"]', 0),
        (', hinged = ["start", "end"]', 0),
    ],
)
def test_hinged_ends_do_not_roll(hinged: str, left: int) -> None:
    """A brace hinged at both ends is no mechanism: it cannot spin about itself."""
    nodes = PORTAL | {"k": (0, 0, 600), "m": (200, 0, 800)}
    text = frame(nodes, SIDES | {"brace": f'from = "k", to = "m"{hinged}'})
    system = assemble(design_of(text, held("f.a"), held("f.d")), Discretisation(1, 3))
    assert len(system.rigid_names) == left


def test_a_hinge_too_many_is_a_mechanism_named() -> None:
    sides = SIDES | {
        "top": 'from = "b", to = "c", hinged = ["start", "end"]',
        "left": 'from = "a", to = "b", hinged = ["start"]',
        "foot": 'from = "a", to = "d"',
        "right": 'from = "c", to = "d", hinged = ["end"]',
    }
    design = design_of(frame(PORTAL, sides), held("f.foot.start"), held("f.foot.end"))
    names = assemble(design, Discretisation(1, 3)).rigid_names
    assert names
    assert all(name.startswith("mechanism: “f.") for name in names)
    assert any("let by the joint" in name for name in names)
    assert any("turns about y" in name for name in names)


def test_members_may_have_their_own_section_and_material() -> None:
    own = 'from = "b", to = "c", section = { shape = "solid round", diameter = "10 mm" }'
    design = design_of(frame(PORTAL, SIDES | {"top": own + ', material = "brass"'}))
    top = design.part_of("f.top")
    assert isinstance(top, MemberValue)
    assert top.section_words == "solid round section"
    assert top.material.name == "brass"


@pytest.mark.parametrize(
    ("sides", "message"),
    [
        ({"left": 'from = "a", to = "x"'}, "there is no node “x”; there are “a”, “b”"),
        ({"left": 'from = "a", to = "a"'}, "its two nodes are at the same place"),
        ({"left": 'from = "a", to = "b", up = [0.0, 0.0, 1.0]'}, "must not point along"),
        ({"left": 'from = "a", to = "b", material = "stel"'}, "there is no material “stel”"),
    ],
)
def test_what_is_wrong_with_a_frame_is_named(sides: dict[str, str], message: str) -> None:
    assert message in findings(frame(PORTAL, sides))


def test_a_frame_is_no_side_of_a_joint() -> None:
    text = frame(PORTAL, SIDES) + '[[joints]]\nbetween = ["f", "f.a"]\nhow = "welded"\n'
    assert "“f” is a frame; name one of its nodes or members" in findings(text)


def test_nodes_move_with_knobs_and_placement() -> None:
    knob = '[knobs]\nspan = { value = "600 mm" }\n'
    text = frame(PORTAL, SIDES, 'placement = { at = ["1 m", "0 m", "0 m"] }')
    text = text.replace('c = ["600 mm"', 'c = ["span"').replace('d = ["600 mm"', 'd = ["span"')
    design = design_of(knob, text)
    right = design.part_of("f.right")
    assert isinstance(right, MemberValue)
    assert right.start == pytest.approx([1.6, 0.0, 0.8])

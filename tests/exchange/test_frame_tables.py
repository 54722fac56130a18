"""Frames from tables of nodes and members, and assemblies as tables."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.exchange.energy_tables import part_rows
from belltone.exchange.frame_tables import FrameTableError, frame_sheet, read_frame_table
from belltone.exchange.tables import contact_rows, modes_data
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.system.contacts import contacts
from tests.assemblies import design_of, held, joint, modes_of, plate

TABLE = """\
node,x (m),y (m),z (m)
a,0,0,0
b,0,0,0.8
c,0.6,0,0.8

member,from,to
post,a,b
arm,b,c
"""


@pytest.mark.parametrize(
    "text",
    [
        TABLE,
        TABLE.replace(",", ";"),
        TABLE.replace(",", "\t"),
        TABLE.replace("\n", "\r\n"),
        TABLE.replace("a,0,0,0", "  a , 0 , 0 , 0 "),
    ],
)
def test_a_table_is_a_frame(text: str) -> None:
    design = evaluate(Sheet.from_text(frame_sheet(read_frame_table(text), "pasted")))
    assert [part.name for part in design.parts] == ["frame.post", "frame.arm"]
    assert design.part_of("frame.arm").length == pytest.approx(0.6)  # type: ignore[union-attr]
    assert len(design.joints) == 1


def test_without_a_unit_millimetres_are_taken() -> None:
    found = read_frame_table("a,0,0,0\nb,100,0,0\nm,a,b\n")
    assert found["nodes"]["b"] == ["100 mm", "0 mm", "0 mm"]


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "holds 0 nodes and 0 members"),
        ("a,0,0,0\nb,1,0,0\n", "holds 2 nodes and 0 members"),
        ("a,0,0,0\na,1,0,0\n", "line 2: there are two nodes “a”"),
        ("a,0,0,0\nb,1,0,0\nm,a,b\nm,b,a\n", "line 4: there are two members “m”"),
        ("a,0,0,0\nb,1,0,0\nm,a,x\n", "line 3: “m, a, x” is neither a node"),
        ("a,0,0,0\nb,1,0,zero\n", "line 2: “b, 1, 0, zero” is neither"),
    ],
)
def test_a_table_that_is_no_frame_names_its_line(text: str, message: str) -> None:
    with pytest.raises(FrameTableError, match=message):
        read_frame_table(text)


@given(st.text(max_size=200))
def test_any_text_is_a_frame_or_told(text: str) -> None:
    try:
        found = read_frame_table(text)
    except FrameTableError:
        return
    assert len(found["nodes"]) >= 2


@given(st.lists(st.text(min_size=1, max_size=6), min_size=2, max_size=4, unique=True))
def test_any_names_make_a_sheet(names: list[str]) -> None:
    members = {f"m{k}": {"from": names[0], "to": name} for k, name in enumerate(names[1:])}
    nodes = {name: [f"{k} m", "0 m", "0 m"] for k, name in enumerate(names)}
    text = frame_sheet({"nodes": nodes, "members": members})
    if any(ord(letter) < 32 or ord(letter) == 127 for name in names for letter in name):
        return  # no sheet can hold these, and no table cell does
    assert list(Sheet.from_text(text).content.parts["frame"].nodes) == names  # type: ignore[union-attr]


def test_assemblies_as_tables() -> None:
    left, right = plate("a", 250, 400, (-175, 0, 0)), plate("b", 350, 400, (125, 0, 0))
    open_pair = contact_rows(contacts(design_of(left, right)))
    assert open_pair == [("a", "b", "along 400 mm", "not decided, so not joined")]
    design = design_of(left, right, joint("a", "b"), held("a.west"))
    assert contact_rows(contacts(design))[0][3] == "welded by “a – b”"
    modes = modes_of(left, right, joint("a", "b"), held("a.west"), count=2, accuracy=2e-2)
    header, rows = part_rows(modes)
    assert header[:4] == ("mode", "frequency (Hz)", "strain in a", "strain in b")
    assert header[4:] == ("moving in a", "moving in b")
    assert float(rows[0][2].removesuffix(" %")) > 50  # by the clamp
    shares = modes_data(modes, design)["modes"][0]["energy_share_by_part"]
    assert sum(shares.values()) == pytest.approx(1.0)

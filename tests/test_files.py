"""What the user's files keep, and what is never read."""

import os
import tomllib
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from belltone.files import FileError, read_bytes, write_text
from belltone.geometry.received_meshes import MeshFileError, read_faces
from belltone.sheet.document import Sheet, read_sheet, write_sheet
from belltone.sheet.errors import SheetError


def test_line_ends_and_mark_stay(tmp_path: Path, rail: Sheet) -> None:
    path = tmp_path / "rail.toml"
    path.write_bytes(b"\xef\xbb\xbf" + rail.text.replace("\n", "\r\n").encode())
    sheet = read_sheet(path)
    assert sheet.text == rail.text
    write_sheet(sheet.with_value(("title",), "again"), path)
    data = path.read_bytes()
    assert data.startswith(b"\xef\xbb\xbf")
    assert data.count(b"\r\n") == data.count(b"\n") > 10
    assert read_sheet(path).content.title == "again"


@pytest.mark.usefixtures("nothing_read")  # nothing else is to be in the folder
def test_a_file_with_two_names_keeps_both(tmp_path: Path) -> None:
    one, two = tmp_path / "one.txt", tmp_path / "two.txt"
    one.write_text("long before\n")
    os.link(one, two)
    write_text("new\n", one)
    assert two.read_text() == "new\n"
    assert one.samefile(two)
    assert sorted(entry.name for entry in tmp_path.iterdir()) == ["one.txt", "two.txt"]


def test_what_never_ends_is_not_read(tmp_path: Path) -> None:
    pipe = tmp_path / "pipe.stl"
    os.mkfifo(pipe)
    with pytest.raises(FileError, match="a pipe or a device"):
        read_bytes(pipe, 100, "a sheet")
    with pytest.raises(SheetError, match="a pipe or a device"):
        read_sheet(pipe)
    for path in (pipe, Path("/dev/zero")):
        with pytest.raises(MeshFileError, match="a pipe or a device"):
            read_faces(path)
    big = tmp_path / "big.toml"
    big.write_bytes(b"#" * 6_000_000)
    with pytest.raises(SheetError, match="too large for a sheet: 6 MB, where at most 5 MB"):
        read_sheet(big)
    with pytest.raises(SheetError, match="cannot name a file"):
        read_sheet(Path("a\0b.toml"))


def test_a_missing_folder_is_named(tmp_path: Path) -> None:
    with pytest.raises(FileNotFoundError) as caught:
        write_text("x", tmp_path / "absent" / "x.csv")
    assert caught.value.filename == str(tmp_path / "absent" / "x.csv")


OBJ = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\n"


def test_corners_of_faces_count_from_either_end(tmp_path: Path) -> None:
    back, front, wrong = (tmp_path / f"{name}.obj" for name in ("back", "front", "wrong"))
    back.write_text(OBJ + "f -4/1/2 -3 -2 -1\n")
    front.write_text(OBJ + "f 1 2 3 4\n")
    assert read_faces(back).faces.tolist() == read_faces(front).faces.tolist()
    wrong.write_text(OBJ + "f 0 1 2\n")
    with pytest.raises(MeshFileError, match=r"line 5 .* numbered from 1 on"):
        read_faces(wrong)


def test_a_strip_with_one_side_is_told(tmp_path: Path) -> None:
    # Quadrilaterals in a ring; the last one is joined to the first with a half turn, or without.
    count = 9
    for half_turns in (1, 0):
        rows = []
        for wide in (-0.1, 0.1):
            for turn in np.linspace(0, 2 * np.pi, count, endpoint=False):
                lean = half_turns * turn / 2
                out = 0.5 + wide * np.cos(lean)
                up = wide * np.sin(lean) + (1 - half_turns) * wide
                rows.append(f"v {out * np.cos(turn)} {out * np.sin(turn)} {up}")
        faces = [(k, k + 1, count + k + 1, count + k) for k in range(1, count)]
        ends = (count + 1, 1) if half_turns else (1, count + 1)
        faces.append((count, ends[0], ends[1], 2 * count))
        rows += [f"f {a} {b} {c} {d}" for a, b, c, d in faces]
        path = tmp_path / f"ring{half_turns}.obj"
        path.write_text("\n".join(rows))
        assert any("one side" in said for said in read_faces(path).findings) == bool(half_turns)


STYLES = {
    "dotted": """belltone = 1
materials.steel.density = "7850 kg/m^3"  # heavy
materials.steel.youngs_modulus = "200 GPa"
materials.steel.poisson_ratio = 0.3
parts.b.kind = "member"
parts.b.material = "steel"
parts.b.length = "1 m"
parts.b.section = { shape = "solid round", diameter = "20 mm" }
modes.free = true
""",
    "scattered": """belltone = 1
[materials.steel]
density = "7850 kg/m^3"  # heavy
youngs_modulus = "200 GPa"
poisson_ratio = 0.3
[parts.b]
kind = "member"
material = "steel"
length = "1 m"
section = { shape = "solid round", diameter = "20 mm" }
[modes]
free = true
[materials.brass]
density = "8400 kg/m^3"
youngs_modulus = "100 GPa"
poisson_ratio = 0.35
[parts.c]
kind = "member"
material = "steel"
length = "2 m"
section = { shape = "solid round", diameter = "20 mm" }
""",
    "inline": """belltone = 1
materials = { steel = { density = "7850 kg/m^3", youngs_modulus = "200 GPa", REST } }  # heavy
parts = { b = { kind = "member", material = "steel", length = "1 m", section = ROUND } }
[modes]
free = true
""".replace("REST", "poisson_ratio = 0.3").replace(
        "ROUND", '{ shape = "solid round", diameter = "20 mm" }'
    ),
}  # fmt: skip


@pytest.mark.parametrize("style", STYLES)
def test_every_style_of_toml_can_be_edited(style: str) -> None:
    sheet = Sheet.from_text(STYLES[style])
    longer = sheet.with_value(("parts", "b", "length"), "3 m")
    assert longer.content.parts["b"].length == "3 m"  # type: ignore[union-attr]
    more = longer.with_part("d", longer.value(("parts", "b")))
    more = more.with_entry(("supports",), {"site": "d.start", "hold": "clamped"})
    more = more.with_value(("knobs", "wall"), {"value": "3 mm"})
    less = more.without(("parts", "d")).without(("supports", 0))
    assert less.renamed(("parts", "b"), "arm").content.parts["arm"]
    assert "# heavy" in less.text
    changed = tomllib.loads(less.text)
    changed["parts"]["b"]["length"] = "1 m"
    del changed["knobs"]
    assert changed == tomllib.loads(sheet.text)


PATHS = (
    ("title",),
    ("note",),
    ("parts", "b", "length"),
    ("parts", "b", "material"),
    ("parts", "b", "section", "diameter"),
    ("materials", "steel", "density"),
    ("materials", "steel", "note"),
    ("excitation", "margin"),
    ("accuracy", "target"),
)


@pytest.mark.fuzz
@settings(deadline=None)
@given(
    st.sampled_from(sorted(STYLES)),
    st.lists(st.tuples(st.sampled_from(PATHS), st.text(max_size=12)), min_size=1, max_size=4),
)
def test_an_edit_does_what_it_says_or_nothing(
    style: str, edits: list[tuple[tuple[str, ...], str]]
) -> None:
    """Whatever is written where: the text says it afterwards, or the sheet refuses it in words."""
    sheet = Sheet.from_text(STYLES[style])
    for path, value in edits:
        before = tomllib.loads(sheet.text)
        try:
            sheet = sheet.with_value(path, value)
        except SheetError:
            continue
        node = before
        for step in path[:-1]:
            node = node.setdefault(step, {})
        node[path[-1]] = value
        assert tomllib.loads(sheet.text) == before

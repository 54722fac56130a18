import os
from contextlib import suppress
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.files import write_text
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet, write_sheet
from belltone.sheet.errors import SheetError


def test_reading_and_writing_is_a_round_trip(rail: Sheet, tmp_path: Path) -> None:
    path = tmp_path / "copy.toml"
    write_sheet(rail, path)
    assert read_sheet(path) == rail
    assert path.read_text(encoding="utf-8") == rail.text
    assert [entry.name for entry in tmp_path.iterdir() if entry.name.startswith(".copy")] == []


def test_an_edit_keeps_comments_and_order(rail: Sheet) -> None:
    edited = rail.with_value(("masses", 0, "mass"), "8 kg")
    changed = [
        (a, b)
        for a, b in zip(rail.text.splitlines(), edited.text.splitlines(), strict=True)
        if a != b
    ]
    assert changed == [
        (
            'mass = "7.5 kg"                     # motor, gear and bracket',
            'mass = "8 kg"                     # motor, gear and bracket',
        )
    ]


def test_an_edit_inside_an_inline_table(rail: Sheet) -> None:
    edited = rail.with_value(("parts", "rail", "section", "height"), "50 mm")
    assert (
        'section = { shape = "rectangular hollow", width = "60 mm", height = "50 mm"' in edited.text
    )
    assert edited.value(("parts", "rail", "section", "height")) == "50 mm"


def test_entries_are_added_and_taken_away(rail: Sheet) -> None:
    more = rail.with_entry(("supports",), {"site": "rail.end", "hold": ["z"]})
    assert more.content.supports[2].hold == ("z",)
    assert more.without(("supports", 2)).content == rail.content
    bare = rail.without(("masses", 0))
    assert bare.content.masses == ()
    assert bare.with_entry(("masses",), {"site": "rail.end", "mass": "1 kg"}).content.masses


def test_a_new_table_stands_apart(rail: Sheet) -> None:
    edited = rail.with_values({("knobs", "reach", "value"): "1 m", ("knobs", "reach", "to"): "2 m"})
    assert "\n\n[knobs.reach]\n" in edited.text
    assert evaluate(edited).knobs["reach"].value == 1


def test_tables_are_renamed(rail: Sheet) -> None:
    renamed = rail.renamed(("sites", "drive_seat"), "motor_seat")
    assert list(renamed.content.sites) == ["post", "motor_seat"]
    with pytest.raises(SheetError, match="already"):
        rail.renamed(("sites", "drive_seat"), "post")
    with pytest.raises(SheetError, match="nothing here to rename"):
        rail.renamed(("sites", "absent"), "x")
    with pytest.raises(SheetError, match="nothing here to take away"):
        rail.without(("sites", "absent"))


def test_hashes_follow_what_matters(rail: Sheet) -> None:
    spaced = Sheet.from_text(rail.text.replace("\n[knobs.wall]", "\n# a remark\n[knobs.wall]"))
    assert spaced.answer_hash() == rail.answer_hash()
    retitled = rail.with_value(("title",), "Another")
    assert retitled.answer_hash() == rail.answer_hash()
    thicker = rail.with_value(("knobs", "wall", "value"), "4 mm")
    assert thicker.answer_hash() != rail.answer_hash()
    assert thicker.answer_hash() == rail.answer_hash({"wall": "4 mm"})
    noisier = rail.with_value(("excitation", "bands", 0, "to"), "140 Hz")
    assert noisier.answer_hash() == rail.answer_hash()


def test_a_replaced_file_keeps_its_permissions_and_link(rail: Sheet, tmp_path: Path) -> None:
    real, link = tmp_path / "real.toml", tmp_path / "link.toml"
    real.write_text("old", encoding="utf-8")
    real.chmod(0o640)
    link.symlink_to(real)
    write_sheet(rail, link)
    assert link.is_symlink()
    assert real.read_text(encoding="utf-8") == rail.text
    assert real.stat().st_mode & 0o777 == 0o640


def test_a_failed_write_leaves_the_old_file(
    rail: Sheet, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "sheet.toml"
    path.write_text("old", encoding="utf-8")

    def fail(*_: object) -> None:
        raise OSError(28, "no space left")

    monkeypatch.setattr(os, "replace", fail)
    with pytest.raises(OSError, match="no space left"):
        write_sheet(rail, path)
    assert path.read_text(encoding="utf-8") == "old"
    assert [entry.name for entry in tmp_path.iterdir()].count("sheet.toml") == 1
    assert not [entry for entry in tmp_path.iterdir() if entry.name.startswith(".sheet")]


@pytest.mark.parametrize(
    ("old", "new", "line", "says"),
    [
        ("belltone = 1", "", None, "not a sheet"),
        ("belltone = 1", "belltone = 2", 3, "a newer program is needed"),
        ('length = "2.2 m"', 'lenght = "2.2 m"', 22, "did you mean “length”"),
        ('kind = "member"', 'kind = "plank"', 20, "“plank” is not one of"),
        ('shape = "rectangular hollow"', 'shape = "box"', 23, "“box” is not one of"),
        ('shape = "rectangular hollow", ', "", 23, "“shape” is missing"),
        ('hold = "clamped"', 'hold = "nailed"', 36, "“nailed” is not one of"),
        ('["y", "z", "turn x"]', '["y", "q"]', 41, "“q” is not one of"),
        ('mass = "7.5 kg" ', "", 43, "“mass” is missing"),
        ("count = 10", 'count = "ten"', 67, "valid integer"),
        ("count = 10", "count = 0", 67, "greater than or equal to 1"),
        ('title = "Infeed rail"', "title = Infeed rail", 4, "not valid TOML"),
        ("orders = [1, 2]", "orders = [1, -2]", 56, "greater than 0"),
        ("orders = [1, 2]", "orders = []", 56, "must not be empty"),
    ],
)
def test_findings_name_the_line(
    rail: Sheet, old: str, new: str, line: int | None, says: str
) -> None:
    assert old in rail.text
    with pytest.raises(SheetError) as caught:
        Sheet.from_text(rail.text.replace(old, new, 1))
    found = caught.value.findings[0]
    assert says in found.message
    assert found.line == line


def test_unreadable_files_are_explained(tmp_path: Path) -> None:
    with pytest.raises(SheetError, match="cannot be read"):
        read_sheet(tmp_path / "absent.toml")
    odd = tmp_path / "odd.toml"
    odd.write_bytes(b"\xff\xfe\x00belltone")
    with pytest.raises(SheetError, match="UTF-8"):
        read_sheet(odd)
    with pytest.raises(SheetError, match="is a folder, where a sheet is needed"):
        read_sheet(tmp_path)


@given(st.text(max_size=200))
def test_no_text_makes_a_traceback(text: str) -> None:
    with suppress(SheetError):
        Sheet.from_text(text)


@given(st.data())
def test_no_damage_makes_a_traceback(data: st.DataObject) -> None:
    text = demo_sheet().read_text(encoding="utf-8")
    start = data.draw(st.integers(0, len(text)))
    stop = data.draw(st.integers(start, min(len(text), start + 30)))
    junk = data.draw(st.text(max_size=8))
    with suppress(SheetError):
        evaluate(Sheet.from_text(text[:start] + junk + text[stop:]))


def test_a_pipe_is_written_to_and_not_replaced(tmp_path: Path) -> None:
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    reader = os.open(pipe, os.O_RDONLY | os.O_NONBLOCK)
    try:
        write_text("frequencies", pipe)
        assert os.read(reader, 100) == b"frequencies"
    finally:
        os.close(reader)
    assert pipe.is_fifo()

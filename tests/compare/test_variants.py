"""Variants in their file: pinned, renamed, dropped, moved, and kept from harm."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.compare.variants import (
    Variant,
    VariantsError,
    change_variants,
    dropped,
    free_name,
    moved,
    pinned,
    read_variants,
    renamed,
    variants_of,
    variants_path,
    variants_text,
)
from belltone.sheet.document import Sheet

THREE = tuple(Variant(name, f"belltone = 1\n# {name}\n") for name in ("a", "b", "c"))
TEXTS = st.text(st.characters(exclude_categories=["Cs"]), max_size=80)


@given(TEXTS, TEXTS, st.sampled_from(["", "'", "'''", '"""', "\\", "\r\n", "\n\n", "\x00"]))
def test_every_text_comes_back_as_it_was(text: str, note: str, hard: str) -> None:
    given = (Variant("one", text + hard, note), Variant("two", hard + text + hard))
    assert variants_of(variants_text(given)) == given


def test_a_sheet_stands_in_the_file_as_it_was_written(rail: Sheet) -> None:
    """So that a person can read it there, and a comparison of files shows what changed."""
    assert rail.text in variants_text([Variant("as is", rail.text)])


def test_variants_are_pinned_renamed_moved_and_dropped(tmp_path: Path, rail: Sheet) -> None:
    path = variants_path(tmp_path / "rail.toml")
    assert path.name == "rail.variants.toml"
    assert read_variants(path) == ()
    change_variants(path, lambda now: pinned(now, Variant("thin", rail.text)))
    change_variants(path, lambda now: pinned(now, Variant("thick", rail.text, "for the trial")))
    assert [each.name for each in read_variants(path)] == ["thin", "thick"]
    change_variants(path, lambda now: moved(now, "thick", 0))
    change_variants(path, lambda now: renamed(now, "thin", "as drawn", "from the drawing"))
    found = read_variants(path)
    assert [(each.name, each.note) for each in found] == [
        ("thick", "for the trial"),
        ("as drawn", "from the drawing"),
    ]
    assert found[1].sheet().content == rail.content
    change_variants(path, lambda now: dropped(now, "thick"))
    assert [each.name for each in read_variants(path)] == ["as drawn"]


def test_what_another_program_pinned_meanwhile_stays(tmp_path: Path) -> None:
    path = tmp_path / "x.variants.toml"
    change_variants(path, lambda now: pinned(now, THREE[0]))
    path.write_text(variants_text([THREE[0], THREE[1]]))
    after = change_variants(path, lambda now: pinned(now, THREE[2]))
    assert after == THREE


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("belltone_variants = 1\n[[variants", "no file of variants"),
        ("belltone_variants = 9\n", "begins with “belltone_variants = 1”; this one has “9”"),
        ("belltone_variants = 1\nvariants = 3\n", "no list"),
        ("belltone_variants = 1\n[[variants]]\nname = 3\n", "variant 1 needs a “name”"),
        (
            "belltone_variants = 1\n" + '[[variants]]\nname = "a"\nsheet = ""\n' * 2,
            "two variants are called “a”",
        ),
    ],
)
def test_a_damaged_file_is_told_and_left_alone(tmp_path: Path, text: str, said: str) -> None:
    path = tmp_path / "x.variants.toml"
    path.write_text(text)
    with pytest.raises(VariantsError, match=said):
        change_variants(path, lambda now: pinned(now, THREE[0]))
    assert path.read_text() == text


def test_names_are_given_once() -> None:
    with pytest.raises(VariantsError, match="there is a variant “a” already"):
        pinned(THREE, Variant(" a ".strip(), ""))
    with pytest.raises(VariantsError, match="there is a variant “b” already"):
        renamed(THREE, "a", "b")
    with pytest.raises(VariantsError, match="needs a name"):
        renamed(THREE, "a", "  ")
    assert free_name(THREE, "a") == "a 1"
    assert free_name(THREE, "new") == "new"
    assert free_name(THREE) == "variant 1"


@given(st.permutations("abc"), st.integers(0, 3))
def test_moving_keeps_all_and_lands_where_it_is_told(order: list[str], place: int) -> None:
    known = tuple(Variant(name, "") for name in order)
    after = moved(known, "b", place)
    assert sorted(each.name for each in after) == ["a", "b", "c"]
    assert after[min(place, 2)].name == "b"

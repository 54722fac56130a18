"""Frames from a table: rows of nodes (name, x, y, z) and of members (name, from, to).

A member's row may go on with its section, such as “round tube 40 x 3”, and its material.
The first row that is no row of numbers may be a heading; a length unit in it, such as “x (m)”,
holds for all nodes, and millimetres are taken where none is given. Cells are parted by commas,
semicolons or tabs, as they come from a file or are pasted from a spreadsheet.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Mapping
from typing import Any, Final, cast

from pydantic import BaseModel

from belltone.errors import UserError
from belltone.exchange.arrivals import Arrival, plural, quoted
from belltone.sheet.part_models import SECTION_SHAPES

__all__ = ["FrameTableError", "frame_arrival", "frame_sheet", "read_frame_table", "unit_note"]

_UNIT: Final = re.compile(r"[\(\[]\s*(mm|cm|m|in)\s*[\)\]]")
_SECTION: Final = {"shape": "round tube", "diameter": "40 mm", "wall": "3 mm"}


class FrameTableError(UserError):
    """A table that is no frame; the message names the line."""


_ROW_NAMES: Final = ("node", "point", "joint", "member", "beam", "bar")
"""What a row may begin with to say what it is."""


def read_frame_table(text: str) -> dict[str, Any]:
    """Nodes and members of a table, as a sheet's frame writes them; raises `FrameTableError`."""
    nodes: dict[str, list[str]] = {}
    members: dict[str, dict[str, Any]] = {}
    unit, stated = "mm", False
    unread: list[tuple[int, list[str]]] = []
    for line, row in _rows(text):
        if row[0].lower() in _ROW_NAMES and len(row) >= 4 and _is_row(row[1:], nodes):
            row = row[1:]
        kind = _numbers(row[1:4])
        if kind and len(row) >= 4:
            if row[0] in nodes:
                raise FrameTableError(f"line {line}: there are two nodes “{row[0]}”")
            nodes[row[0]] = [f"{value} {unit}" for value in row[1:4]]
        elif found := _UNIT.search(" ".join(row)):
            unit, stated = found[1], True
        elif len(row) >= 3 and row[1] in nodes and row[2] in nodes:
            if row[0] in members:
                raise FrameTableError(f"line {line}: there are two members “{row[0]}”")
            members[row[0]] = {"from": row[1], "to": row[2]}
            more = [cell for cell in row[3:] if cell]
            if more:
                members[row[0]]["section"] = _section(more[0], unit, line)
            if len(more) > 1:
                members[row[0]]["material"] = more[1]
        elif not nodes or _heading(row):
            unread.append((line, row))
        else:
            raise FrameTableError(
                f"line {line}: “{', '.join(row)}” is neither a node (name, x, y, z) nor a member "
                f"(name, from, to) between nodes listed above it"
            )
    if len(nodes) < 2 or not members:
        what = ""
        if unread and len(nodes) < 2:
            line, row = unread[-1]
            what = f"; line {line}, “{', '.join(row)}”, is no node"
        raise FrameTableError(
            f"the table holds {len(nodes)} nodes and {len(members)} members{what}. A frame needs "
            "two nodes and a member at least, one in each row: “A, 0, 0, 0” is a node (name, x, y, "
            "z) and “beam, A, B” a member (name, from, to)"
        )
    return {"nodes": nodes, "members": members, "unit": unit, "unit_stated": stated}


def _section(text: str, unit: str, line: int) -> dict[str, str]:
    """A section named by its shape and its sizes in order, such as “solid rectangle 40 x 20”."""
    matched = re.fullmatch(r"\s*([a-z ]+?)\s+([\d.]+(?:\s*[x×*]\s*[\d.]+)*)\s*", text.lower())
    if matched is not None and matched[1] in SECTION_SHAPES:
        fields = cast(type[BaseModel], SECTION_SHAPES[matched[1]]).model_fields.items()
        keys = [key for key, info in fields if key != "shape" and info.is_required()]
        sizes = [size.strip() for size in re.split(r"[x×*]", matched[2])]
        if len(sizes) == len(keys):
            lengths = {key: f"{size} {unit}" for key, size in zip(keys, sizes, strict=True)}
            return {"shape": matched[1], **lengths}
        raise FrameTableError(
            f"line {line}: a {matched[1]} has {len(keys)} sizes, {', '.join(keys)}, where “{text}” "
            f"gives {len(sizes)}"
        )
    raise FrameTableError(
        f"line {line}: “{text}” is no section; write its shape and its sizes in {unit}, such as "
        "“round tube 40 x 3”, “solid rectangle 40 x 20” or “rectangular hollow 60 x 40 x 3”"
    )


def frame_arrival(text: str, title: str) -> Arrival:
    """The sheet of a table's text; raises `FrameTableError`."""
    table = read_frame_table(text)
    nodes, members = table["nodes"], table["members"]
    found = [f"a frame of {plural(len(members), 'member')} between {plural(len(nodes), 'node')}"]
    sections = sum("section" in member for member in members.values())
    doubts = [unit_note(table)] if unit_note(table) else []
    if sections < len(members):
        what = "the sections" if not sections else f"the sections of {len(members) - sections}"
        doubts.append(f"{what} are not in the table; a round tube 40 × 3 mm stands for them")
    return Arrival(frame_sheet(table, title), tuple(found), tuple(doubts))


def unit_note(table: Mapping[str, Any]) -> str:
    """What was taken for granted of the lengths of a table, or nothing."""
    if table["unit_stated"]:
        return ""
    return (
        f"the table gives no unit, so lengths are taken in {table['unit']}; a heading such as "
        "“name, x (m), y, z” would say otherwise"
    )


def _is_row(row: list[str], nodes: Mapping[str, Any]) -> bool:
    """Whether a row is a node, or a member between known ones."""
    if len(row) >= 4 and _numbers(row[1:4]):
        return True
    return len(row) >= 3 and row[1] in nodes and row[2] in nodes


def frame_sheet(table: Mapping[str, Any], title: str = "") -> str:
    """A whole sheet with the frame of a table, of steel tube until its author says otherwise."""
    lines = ["belltone = 1", f"title = {quoted(title)}", "", "[parts.frame]", 'kind = "frame"']
    lines += ['material = "structural steel"']
    section = ", ".join(f'{key} = "{value}"' for key, value in _SECTION.items())
    lines += [f"section = {{ {section} }}", "", "[parts.frame.nodes]"]
    for name, place in table["nodes"].items():
        lines.append(f"{_key(name)} = [{', '.join(quoted(value) for value in place)}]")
    lines += ["", "[parts.frame.members]"]
    for name, entry in table["members"].items():
        ends = f"from = {quoted(entry['from'])}, to = {quoted(entry['to'])}"
        if "section" in entry:
            sizes = ", ".join(f"{key} = {quoted(size)}" for key, size in entry["section"].items())
            ends += f", section = {{ {sizes} }}"
        if "material" in entry:
            ends += f", material = {quoted(entry['material'])}"
        lines.append(f"{_key(name)} = {{ {ends} }}")
    return "\n".join(lines) + "\n"


def _rows(text: str) -> list[tuple[int, list[str]]]:
    sample = text[:2000]
    mark = max(",;\t", key=sample.count)
    reader = csv.reader(text.splitlines(), delimiter=mark)
    try:
        rows = [(line, [cell.strip() for cell in row]) for line, row in enumerate(reader, start=1)]
    except csv.Error as error:
        raise FrameTableError(f"line {reader.line_num}: {error}") from error
    return [(line, row) for line, row in rows if any(row)]


def _numbers(cells: list[str]) -> bool:
    try:
        return len([float(cell) for cell in cells]) == 3
    except ValueError:
        return False


def _heading(row: list[str]) -> bool:
    return row[0].lower() in ("node", "nodes", "name", "member", "members")


def _key(name: str) -> str:
    return name if re.fullmatch(r"[A-Za-z0-9_-]+", name) else quoted(name)

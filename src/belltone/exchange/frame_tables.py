"""Frames from a table: rows of nodes (name, x, y, z) and of members (name, from, to).

The first row that is no row of numbers may be a heading; a length unit in it, such as “x (m)”,
holds for all nodes, and millimetres are taken where none is given. Cells are parted by commas,
semicolons or tabs, as they come from a file or are pasted from a spreadsheet.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Mapping
from typing import Any, Final

from belltone.errors import UserError

__all__ = ["FrameTableError", "frame_sheet", "read_frame_table", "unit_note"]

_UNIT: Final = re.compile(r"[\(\[]\s*(mm|cm|m|in)\s*[\)\]]")
_SECTION: Final = {"shape": "round tube", "diameter": "40 mm", "wall": "3 mm"}


class FrameTableError(UserError):
    """A table that is no frame; the message names the line."""


_ROW_NAMES: Final = ("node", "point", "joint", "member", "beam", "bar")
"""What a row may begin with to say what it is."""


def read_frame_table(text: str) -> dict[str, Any]:
    """Nodes and members of a table, as a sheet's frame writes them; raises `FrameTableError`."""
    nodes: dict[str, list[str]] = {}
    members: dict[str, dict[str, str]] = {}
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
    lines = ["belltone = 1", f'title = "{title}"', "", "[parts.frame]", 'kind = "frame"']
    lines += ['material = "structural steel"']
    section = ", ".join(f'{key} = "{value}"' for key, value in _SECTION.items())
    lines += [f"section = {{ {section} }}", "", "[parts.frame.nodes]"]
    for name, place in table["nodes"].items():
        lines.append(f"{_key(name)} = [{', '.join(f'{_text(value)}' for value in place)}]")
    lines += ["", "[parts.frame.members]"]
    for name, entry in table["members"].items():
        ends = f"from = {_text(entry['from'])}, to = {_text(entry['to'])}"
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


def _text(value: str) -> str:
    return '"' + value.replace("\\", "\\\\").replace('"', '\\"') + '"'


def _key(name: str) -> str:
    return name if re.fullmatch(r"[A-Za-z0-9_-]+", name) else _text(name)

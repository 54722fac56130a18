"""Edits of a sheet's text that keep its author's comments and order.

An edit is made twice: on the text, and on the plain data read from it. Where the text is written
in a style its editor does not follow (dotted keys, one table in several places), or what it makes
does not read back as the data do, the smallest table round the edit is written anew, and the
comments that stood in it go above it.
"""

from __future__ import annotations

import itertools
import tomllib
from collections.abc import Callable, Mapping
from typing import Any, Final, cast

import tomlkit
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AoT, Array, InlineTable, Item, Table

from belltone.sheet.errors import Finding, Path, SheetError

__all__ = ["edited", "put_entry", "rename", "set_values", "take_away"]

Data = dict[str, Any]
Change = tuple[Callable[[Any], None], Callable[[Data], None]]
"""What is done to the document, and the same on plain data."""

_LAST: Final[dict[str, tomlkit.TOMLDocument]] = {}
"""The document the last edit made, by its text: reading it again takes most of the next one."""

_CANNOT: Final = (TOMLKitError, AttributeError, KeyError, IndexError, TypeError, ValueError)


def edited(text: str, change: Change) -> str:
    """The text after a change; raises `SheetError` where there is nothing to change."""
    on_document, on_data = change
    wanted = tomllib.loads(text)
    on_data(wanted)
    try:
        document = _LAST.pop(text, None) or tomlkit.parse(text)
        on_document(document)
        written = tomlkit.dumps(document)
        result = _spaced(written, text)
        if tomllib.loads(result) == wanted:
            _LAST.clear()
            if result == written:
                _LAST[result] = document
            return result
    except _CANNOT:
        pass  # a style this editor does not follow
    return _rewritten(text, wanted)


def set_values(values: Mapping[Path, Any]) -> Change:
    """Put values at paths; missing tables on the way are made."""

    def on_document(document: Any) -> None:
        for path, value in values.items():
            _set(document, path, value)

    def on_data(data: Data) -> None:
        for path, value in values.items():
            node: Any = data
            for step in path[:-1]:
                node = node.setdefault(step, {}) if isinstance(node, dict) else node[step]
            node[path[-1]] = _plain(value)

    return on_document, on_data


def take_away(path: Path) -> Change:
    """Take the entry at a path away, and a list of tables that is empty then."""

    def act(root: Any) -> None:
        try:
            node = _walk(root, path[:-1])
            del node[path[-1]]
        except (KeyError, IndexError, TypeError) as error:
            raise SheetError([Finding(path, "there is nothing here to take away")]) from error
        if isinstance(node, AoT | Array | list) and not len(node) and len(path) > 1:
            act_on = _walk(root, path[:-2])
            del act_on[path[-2]]

    return act, act


def rename(path: Path, name: str) -> Change:
    """Put the table at a path under another name, in its place."""

    def act(root: Any, add: Callable[[Any, Any, Any], None]) -> None:
        try:
            node = _walk(root, path[:-1])
            keys = list(node)
            behind = keys[keys.index(path[-1]) + 1 :]
            table = node.pop(path[-1])
        except (KeyError, IndexError, TypeError, ValueError) as error:
            raise SheetError([Finding(path, "there is nothing here to rename")]) from error
        if name in node:
            raise SheetError([Finding(path, f"there is a “{name}” already")])
        add(node, name, table)
        for key in behind:  # a table is put last, so those behind it follow
            add(node, key, node.pop(key))

    def on_data(data: Data) -> None:
        act(data, lambda node, key, table: node.__setitem__(key, table))

    return lambda document: act(document, lambda node, key, table: node.add(key, table)), on_data


def put_entry(path: Path, entry: Mapping[str, Any], listed: bool) -> Change:
    """Put a table at a path, or at the end of the list there."""

    def on_document(document: Any) -> None:
        node: Any = document
        for step in path[:-1]:
            if step not in node:
                node.add(step, tomlkit.table())
            node = node[step]
        table = tomlkit.table()
        for key, value in entry.items():
            table.add(key, _item(value))
        last = path[-1]
        if not listed:
            node.add(last, table)
        elif last in node and isinstance(node[last], AoT):
            node[last].append(table)
        elif last in node:
            node[last].append(tomlkit.item({key: _item(value) for key, value in entry.items()}))
        else:
            tables = tomlkit.aot()
            tables.append(table)
            node.add(last, tables)

    def on_data(data: Data) -> None:
        node: Any = data
        for step in path[:-1]:
            node = node.setdefault(step, {}) if isinstance(node, dict) else node[step]
        if listed:
            node.setdefault(path[-1], []).append(_plain(entry))
        else:
            node[path[-1]] = _plain(entry)

    return on_document, on_data


def _walk(root: Any, path: Path) -> Any:
    for step in path:
        root = root[step]
    return root


def _plain(value: Any) -> Any:
    """A value as a reader of the text would give it."""
    if isinstance(value, Mapping):
        return {str(key): _plain(entry) for key, entry in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(entry) for entry in value]
    return value.unwrap() if isinstance(value, Item) else value


def _item(value: Any) -> Item:
    if isinstance(value, Mapping):
        table = tomlkit.inline_table()
        for key, entry in value.items():
            table.append(key, _item(entry))
        return table
    if isinstance(value, tuple):
        value = list(value)
    return cast(Item, tomlkit.item(value))


def _set(document: tomlkit.TOMLDocument, path: Path, value: Any) -> None:
    node: Any = document
    for depth, step in enumerate(path[:-1]):
        if isinstance(step, str) and step not in node:
            nested = isinstance(node, Table | tomlkit.TOMLDocument)
            fresh: Any = tomlkit.table(is_super_table=depth == 0) if nested else {}
            if not nested:
                fresh = tomlkit.inline_table()
            node.add(step, fresh) if nested else node.append(step, fresh)
        node = node[step]
    last = path[-1]
    old = node[last] if isinstance(last, int) or last in node else None
    item = _item(value)
    if isinstance(old, Item) and not isinstance(old, Table | InlineTable | AoT):
        item.trivia.comment_ws = old.trivia.comment_ws
        item.trivia.comment = old.trivia.comment
        item.trivia.trail = old.trivia.trail
    node[last] = item


def _spaced(text: str, before: str) -> str:
    """An empty line above every table the edit has put right under something else."""
    old = before.splitlines()
    kept = set(itertools.pairwise(old))
    rows: list[str] = []
    for row in text.splitlines():
        if row.startswith("[") and rows and rows[-1].strip() and (rows[-1], row) not in kept:
            rows.append("")
        rows.append(row)
    return "\n".join(rows) + "\n"


# -- writing a table anew ---------------------------------------------------------------------


def _rewritten(text: str, wanted: Data) -> str:
    """The text with the smallest table in which it differs from ``wanted`` written anew."""
    path = _where_they_differ(tomllib.loads(text), wanted)
    for depth in range(len(path), 0, -1):
        if not _nests(_walk_if_there(wanted, path[:depth])):
            continue
        try:
            result = _with_table(text, path[:depth], _walk(wanted, path[:depth]))
            if tomllib.loads(result) == wanted:
                return result
        except _CANNOT:
            continue
    top = path[0] if path else None
    kept = tomlkit.document()
    comments: list[str] = []
    for key, item in tomlkit.parse(text).body:
        if key is not None and (top is None or key.key == top):
            comments += _comments(item.as_string())
        elif key is None:
            kept.add(item)
        else:
            kept.append(key, item)
    body = tomlkit.dumps(kept).rstrip("\n")
    changed = wanted if top is None else {top: wanted[top]} if top in wanted else {}
    written = tomlkit.dumps(cast(Any, _fresh(changed))).strip("\n")
    if top is not None and not _nests(wanted.get(str(top))):
        # A plain value must stand before the first table; the format's own line is there too.
        first, _, rest = body.lstrip("\n").partition("\n")
        result = "\n".join([first, *comments, written, rest, ""])
    else:
        result = "\n".join([body, "", *comments, written, ""])
    if _read(result) != wanted:
        raise SheetError([Finding(path, "this cannot be written into the text of the sheet")])
    return result


def _read(text: str) -> Data | None:
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError:
        return None


def _walk_if_there(root: Any, path: Path) -> Any:
    try:
        return _walk(root, path)
    except (KeyError, IndexError, TypeError):
        return None


def _where_they_differ(one: Any, other: Any) -> Path:
    """The path to the smallest table (never a list) that holds all that differs."""
    path: list[str] = []
    while isinstance(one, dict) and isinstance(other, dict):
        differing = [
            key
            for key in {**one, **other}
            if key not in one or key not in other or one[key] != other[key]
        ]
        if len(differing) != 1:
            break
        key = differing[0]
        if not (isinstance(one.get(key), dict) and isinstance(other.get(key), dict)):
            if not path:
                path.append(key)
            break
        path.append(key)
        one, other = one[key], other[key]
    return tuple(path)


def _with_table(text: str, path: Path, value: Any) -> str:
    document = tomlkit.parse(text)
    node: Any = _walk(document, path[:-1])
    comments = _comments(node[path[-1]].as_string())
    fresh = _fresh(value)
    if isinstance(node[path[-1]], InlineTable):
        fresh = cast(Any, _item(value))
    node[path[-1]] = fresh
    result = tomlkit.dumps(document)
    lost = [comment for comment in comments if comment not in result]
    if not lost:
        return result
    header = next(
        (number for number, row in enumerate(result.splitlines()) if _opens(row, path)), None
    )
    rows = result.splitlines()
    rows[header or 0 : header or 0] = lost
    return "\n".join(rows) + "\n"


def _opens(row: str, path: Path) -> bool:
    """Whether a line opens the table at a path, or one inside it."""
    name = row.strip().strip("[]").replace('"', "").replace(" ", "")
    start = ".".join(map(str, path))
    return row.strip().startswith("[") and (name == start or name.startswith(f"{start}."))


def _fresh(value: Any) -> Any:
    """Plain data as tables of their own, lists of tables as such."""
    if isinstance(value, dict):
        table = tomlkit.table()
        for key, entry in sorted(value.items(), key=lambda pair: _nests(pair[1])):
            table.add(key, _fresh(entry) if _nests(entry) else _item(entry))
        return table
    tables = tomlkit.aot()
    for entry in value:
        tables.append(_fresh(entry))
    return tables


def _nests(value: Any) -> bool:
    """Whether a value is a table or a list of tables."""
    if isinstance(value, dict):
        return True
    return isinstance(value, list) and bool(value) and all(isinstance(e, dict) for e in value)


def _comments(text: str) -> list[str]:
    """The comments in a piece of text, each a line; a “#” inside quotes is none."""
    found: list[str] = []
    for row in text.splitlines():
        quote = ""
        for at, letter in enumerate(row):
            if quote:
                if letter == quote and (quote == "'" or row[at - 1] != "\\"):
                    quote = ""
            elif letter in "\"'":
                quote = letter
            elif letter == "#":
                found.append(row[at:].rstrip())
                break
    return found

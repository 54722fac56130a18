"""Options that several commands share."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer


class Format(StrEnum):
    """How results are written."""

    TABLE = "table"
    CSV = "csv"
    JSON = "json"


SheetPath = Annotated[Path, typer.Argument(metavar="SHEET", help="The sheet, a TOML file.")]
Settings = Annotated[
    list[str] | None,
    typer.Option("--set", metavar="KNOB=VALUE", help="Set a knob, such as “wall=2 mm”."),
]
FormatOption = Annotated[Format, typer.Option("--format", help="How to write the result.")]
Output = Annotated[
    Path | None, typer.Option("-o", "--output", metavar="FILE", help="Write here instead.")
]
ErrorOption = Annotated[
    str,
    typer.Option(
        "--error",
        metavar="SHARE",
        help="How far frequencies may be from solved ones, such as “0.1 %”.",
    ),
]
ExactOption = Annotated[bool, typer.Option("--exact", help="Solve every point.")]

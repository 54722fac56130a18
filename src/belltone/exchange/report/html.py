"""The pages of a report as HTML: one file that needs nothing else, or text to be printed."""

from __future__ import annotations

import base64
from functools import lru_cache
from typing import TYPE_CHECKING

from markupsafe import Markup

from belltone.drawing.charts import as_svg
from belltone.drawing.colours import LIGHT
from belltone.exchange.report.blocks import Chart, Pages

if TYPE_CHECKING:
    from jinja2 import Environment

__all__ = ["as_html", "as_text_for_print"]


@lru_cache
def _environment() -> Environment:
    from jinja2 import Environment, PackageLoader, StrictUndefined  # only reports need it

    made = Environment(
        loader=PackageLoader("belltone.exchange.report", "."),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    made.filters["embedded"] = _embedded
    made.filters["sort"] = lambda block: type(block).__name__
    return made


def as_html(pages: Pages) -> str:
    """One self-contained file, in which no script runs."""
    template = _environment().get_template("page.html.j2")
    return template.render(pages=pages, palette=LIGHT, svg=_svg)


def as_text_for_print(pages: Pages, page_height: float) -> str:
    """The same pages in the plainer HTML that Qt lays out, on sheets so high (px).

    Pictures are called by their place: ``chart-2-0`` is the first block of the second section,
    ``card-3-1-0`` the first card of the second block of the third.
    """
    template = _environment().get_template("print.html.j2")
    return template.render(pages=pages, palette=LIGHT, page_height=page_height)


def _svg(chart: Chart) -> Markup:
    return Markup(as_svg(chart.figure))


def _embedded(data: bytes) -> str:
    return f"data:image/webp;base64,{base64.b64encode(data).decode()}"

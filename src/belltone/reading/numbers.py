"""The values of a sheet worked out for one setting of its knobs, all findings collected."""

from __future__ import annotations

import math
from collections.abc import Mapping

from belltone.design.values import KnobValue
from belltone.reading.formulas import Formulas, number
from belltone.sheet.errors import Finding, Path, SheetError
from belltone.sheet.expressions import ExpressionError

__all__ = ["Values"]


class Values:
    """Numbers in SI units by path, and what is wrong with any of them; used for one evaluation.

    ``turned`` holds knobs, in base units, that stand elsewhere than their formulas say. ``knobs``
    holds those that have a value. A path without a number has a finding.
    """

    def __init__(self, formulas: Formulas, turned: Mapping[str, float]) -> None:
        self.sheet = formulas.sheet
        self.findings: list[Finding] = list(formulas.findings)
        self.numbers: dict[Path, float] = dict(formulas.constants)
        known: dict[str, float] = {}
        found: dict[str, KnobValue] = {}
        for name, knob in formulas.knobs.items():
            try:
                base = turned[name] if name in turned else knob.formula.at(known)
                if not math.isfinite(base):
                    raise ExpressionError("the value is not a finite number")
            except ExpressionError as error:
                self.add(("knobs", name, "value"), str(error))
                continue
            except KeyError:
                continue  # the finding of a knob it names says it
            known[name] = base
            found[name] = KnobValue(
                name,
                base,
                knob.unit,
                knob.scale,
                knob.start,
                knob.stop,
                knob.literal,
                knob.step,
                knob.stock,
                knob.spread,
            )
        self.knobs = {name: found[name] for name in self.sheet.content.knobs if name in found}
        for path, value in formulas.varying.items():
            try:
                self.numbers[path] = number(value, known)
            except ExpressionError as error:
                self.add(path, str(error))
            except KeyError:
                continue

    def add(self, path: Path, message: str) -> None:
        """Note what is wrong at a path; the first finding there stands."""
        if not any(found.path == path for found in self.findings):
            self.findings.append(Finding(path, message, self.sheet.line_of(path)))

    def stop_if_wrong(self) -> None:
        """Raise `SheetError` if anything was found."""
        if self.findings:
            raise SheetError(self.findings)

    def positive(self, path: Path, what: str | None = None) -> float:
        """The number at a path, which must be greater than zero."""
        value = self.numbers.get(path, math.nan)
        if not value > 0:
            self.add(path, f"{what or 'this'} must be greater than zero")
        return value

    def within(self, path: Path, low: float, high: float, words: str, default: float) -> float:
        """The number at a path, which must lie in a range said in ``words``."""
        value = self.numbers.get(path, default)
        if not low <= value <= high:
            self.add(path, f"this must be {words}")
        return value

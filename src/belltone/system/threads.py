"""How many threads numpy's linear algebra takes beside those of the factorisation."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from typing import Final

import threadpoolctl

__all__ = ["numpy_threads"]

_PREFIXES: Final = ("libscipy_openblas", "libopenblas")


@contextmanager
def numpy_threads(many: bool) -> Iterator[None]:
    """Keep numpy to one thread for small matrices, where more only get in each other's way."""
    if many:
        yield
        return
    with _controller().limit(limits=dict.fromkeys(_PREFIXES, 1)):
        yield


@cache
def _controller() -> threadpoolctl.ThreadpoolController:
    return threadpoolctl.ThreadpoolController()

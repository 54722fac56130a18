"""How many threads numpy's linear algebra takes beside those of the factorisation."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from typing import Final

import threadpoolctl

__all__ = ["numpy_threads", "take_one_thread"]

_PREFIXES: Final = ("libscipy_openblas", "libopenblas")


@contextmanager
def numpy_threads(many: bool) -> Iterator[None]:
    """Keep numpy to one thread for small matrices, where more only get in each other's way."""
    if many:
        yield
        return
    with _controller().limit(limits=dict.fromkeys(_PREFIXES, 1)):
        yield


def take_one_thread() -> None:
    """Keep this process to one thread, for as long as it lives."""
    os.environ["MKL_NUM_THREADS"] = "1"  # the factorisation's library is loaded at its first use
    _load()
    threadpoolctl.threadpool_limits(1)


def _load() -> None:
    """Load what scipy has of linear algebra, which has threads of its own and is loaded late.

    Only what is there can be kept to one. Beside other work two threads make a thousand small
    matrices take twenty seconds instead of a hundredth: each waits for the other to have its turn.
    """
    import scipy.linalg  # noqa: F401


@cache
def _controller() -> threadpoolctl.ThreadpoolController:
    _load()
    return threadpoolctl.ThreadpoolController()

"""Workers on other machines: those of a `dask.distributed` scheduler, as an executor like any."""

from __future__ import annotations

import contextlib
import ctypes
import tempfile
import threading
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import BrokenExecutor, CancelledError, Executor, Future, InvalidStateError
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import Any, Final

import platformdirs

from belltone.errors import UserError
from belltone.sheet.document import Sheet
from belltone.sheet.part_models import ReceivedPart
from belltone.store.results import method_version
from belltone.sweep.pool import SweepError
from belltone.sweep.stopping import listening
from belltone.system.threads import take_one_thread

__all__ = ["cluster_workers"]

_ANSWERS_WITHIN: Final = "10s"
_TRIES: Final = 3  # of a point whose worker was lost each time

_TRIM_THRESHOLD: Final = -1  # names of mallopt(3)
_MAP_THRESHOLD: Final = -3
_KEPT_MEMORY: Final = 32 * 1024 * 1024  # bytes; the most the second takes

_unpacking = threading.Lock()


@contextlib.contextmanager
def cluster_workers(address: str, sheet: Sheet) -> Iterator[Executor]:
    """The workers of a scheduler (``tcp://host:port``), for the points of one sheet.

    The files the sheet names travel with it, to each worker once. Raises `SweepError` where there
    is no such scheduler, or the extra that talks to one is not installed.
    """
    try:
        from distributed import Client
    except ImportError as error:
        raise SweepError(
            "a scheduler is asked through an extra: pip install 'belltone[cluster]'"
        ) from error
    try:
        client = Client(address, timeout=_ANSWERS_WITHIN, set_as_default=False)
    except (OSError, ValueError, TypeError) as error:
        raise SweepError(
            f"no scheduler answers at “{address}”; it is started with “dask scheduler”, which "
            "says its address, such as “tcp://host:8786”"
        ) from error
    try:
        if not client.scheduler_info(n_workers=-1)["workers"]:
            raise SweepError(
                f"the scheduler at “{address}” has no workers; start some with “dask worker "
                f"{address} --nthreads 1”"
            )
        yield _Workers(client, sheet)
    finally:
        client.close(timeout=2)


class _Workers(Executor):
    """Hands calls to the workers of a client; ended, it takes back what is not done."""

    def __init__(self, client: Any, sheet: Sheet) -> None:
        self._client, self._folder = client, sheet.folder
        # A task, and not data laid somewhere: if its worker goes, another makes it again.
        files = _files_of(sheet)
        for name in files:
            _inside(name)
        self._files = client.submit(_held, files, pure=False)
        self._version = method_version()

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        """Call a function of a module on some worker."""
        given: Future[Any] = Future()
        asked = self._client.submit(
            _at_worker,
            fn,
            args,
            kwargs,
            self._folder,
            self._files,
            self._version,
            pure=False,
            retries=_TRIES,
        )
        asked.add_done_callback(lambda done: _pass_on(done, given))
        given.add_done_callback(lambda own: asked.cancel() if own.cancelled() else None)
        return given


def _pass_on(done: Any, given: Future[Any]) -> None:
    """What became of a call, with all that is no error of the sheet as a lost worker."""
    with contextlib.suppress(InvalidStateError):  # cancelled meanwhile
        try:
            given.set_result(done.result())
        except UserError as error:
            given.set_exception(error)
        except CancelledError:
            given.cancel()
        except Exception as error:
            given.set_exception(BrokenExecutor(str(error)))


def _files_of(sheet: Sheet) -> dict[str, bytes]:
    """The files a sheet names, by those names."""
    names = {part.file for part in sheet.content.parts.values() if isinstance(part, ReceivedPart)}
    return {name: sheet.file(name).read_bytes() for name in sorted(names)}


# -- on a worker --------------------------------------------------------------------------------


def _held(files: dict[str, bytes]) -> dict[str, bytes]:
    return files


def _at_worker(
    fn: Callable[..., Any],
    arguments: tuple[Any, ...],
    named: Mapping[str, Any],
    folder: Path | None,
    files: Mapping[str, bytes],
    version: int,
) -> Any:
    """Call a function with the sheet's folder being one that holds the files here."""
    if version != method_version():
        raise SweepError(
            f"a worker has another version of the program (method {method_version()}, here "
            f"{version}); results of both do not go together"
        )
    _settle_in()
    here = _unpacked(files) if files else folder

    def at_home(value: Any) -> Any:
        return here if isinstance(value, Path) and value == folder else value

    own = {name: at_home(value) for name, value in named.items()}
    with listening(_given_up()):
        return fn(*map(at_home, arguments), **own)


def _given_up() -> Callable[[], bool]:
    """What tells whether the call under way is wanted no more; the worker has heard of it."""
    from distributed import get_worker

    worker = get_worker()
    key = worker.get_current_task()

    def asked() -> bool:
        known = worker.state.tasks.get(key)
        return known is None or known.state == "cancelled"

    return asked


def _unpacked(files: Mapping[str, bytes]) -> Path:
    """A folder of this machine with the files in it, written once for each content."""
    digest = sha256()
    for name, content in sorted(files.items()):
        digest.update(f"{name}\n{len(content)}\n".encode())
        digest.update(content)
    cache_folder = Path(platformdirs.user_cache_dir("belltone")) / "received"
    target = cache_folder / digest.hexdigest()
    with _unpacking:
        if not target.is_dir():
            cache_folder.mkdir(parents=True, exist_ok=True)
            made = Path(tempfile.mkdtemp(dir=cache_folder))
            for name, content in files.items():
                file = made / name
                file.parent.mkdir(parents=True, exist_ok=True)
                file.write_bytes(content)
            with contextlib.suppress(OSError):  # another process was first
                made.rename(target)
    return target


def _inside(name: str) -> None:
    """Raises `SweepError` where a file's name leads out of its folder."""
    path = Path(name)
    if path.is_absolute() or ".." in path.parts:
        raise SweepError(
            f"“{name}” lies outside the sheet's folder; put it there, so that it can travel to the "
            "workers"
        )


@cache
def _settle_in() -> None:
    """Keep to one thread, as worker processes of one machine do, and to the memory once taken.

    Workers of a scheduler are started so that they give every array's memory back at once, which
    costs matrices that come and go a third of their time.
    """
    take_one_thread()
    with contextlib.suppress(OSError, AttributeError):  # a C library without it
        library = ctypes.CDLL(None)
        library.mallopt(_TRIM_THRESHOLD, _KEPT_MEMORY)
        library.mallopt(_MAP_THRESHOLD, _KEPT_MEMORY)

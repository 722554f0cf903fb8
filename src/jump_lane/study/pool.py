"""Work shared by local processes: results come as they are ready, and an interruption keeps what is done."""

from __future__ import annotations

import multiprocessing
import signal
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from typing import Any, TypeVar

T = TypeVar("T")
R = TypeVar("R")

_shared: list[Any] = []
"""What the worker processes of one pool work on, and how; each inherits it, so that only numbers are sent."""


def spread(
    items: Sequence[T], call: Callable[[Sequence[T]], Iterable[R]], processes: int, chunk: int
) -> Iterator[R]:
    """Yield the results of all items, in any order.

    Parameters
    ----------
    call
        What makes results of some items.
    processes
        How many local processes share the work; 1 runs here.
    chunk
        How many items a process takes at once.
    """
    if processes == 1:
        for first in range(0, len(items), chunk):
            yield from call(items[first : first + chunk])
        return
    methods = multiprocessing.get_all_start_methods()
    context = multiprocessing.get_context("fork" if "fork" in methods else None)
    with ProcessPoolExecutor(
        processes, mp_context=context, initializer=_begin, initargs=(items, call)
    ) as pool:
        jobs = [pool.submit(_run, first, chunk) for first in range(0, len(items), chunk)]
        try:
            for job in as_completed(jobs):
                yield from job.result()
        finally:
            pool.shutdown(wait=True, cancel_futures=True)


def _begin(items: Sequence[Any], call: Callable[[Sequence[Any]], Iterable[Any]]) -> None:
    """Take over the work, and let the parent process alone answer an interruption."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _shared[:] = [items, call]


def _run(first: int, chunk: int) -> list[Any]:
    items, call = _shared
    return list(call(items[first : first + chunk]))

"""Work shared by local processes: results come as they are ready, and an interruption keeps what is done."""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from typing import Any, TypeVar

T = TypeVar("T")
R = TypeVar("R")

MOST = 64
"""Most processes that share work, however many are asked for."""

GLANCE = 0.5
"""How often a worker looks whether its parent is still there [s]."""

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
    firsts = range(0, len(items), chunk)
    workers = max(min(processes, len(firsts), MOST), 1)
    with ProcessPoolExecutor(
        workers, mp_context=context, initializer=_begin, initargs=(items, call, os.getpid())
    ) as pool:
        jobs = [pool.submit(_run, first, chunk) for first in firsts]
        try:
            for job in as_completed(jobs):
                yield from job.result()
        except BaseException:
            _stop(pool)
            raise


def _stop(pool: ProcessPoolExecutor) -> None:
    """End the workers at once, whatever they are at."""
    processes = list((pool._processes or {}).values())
    pool.shutdown(wait=False, cancel_futures=True)
    for process in processes:
        process.terminate()


def _begin(items: Sequence[Any], call: Callable[[Sequence[Any]], Iterable[Any]], parent: int) -> None:
    """Take over the work, let the parent process alone answer an interruption, and end when it is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _shared[:] = [items, call]
    threading.Thread(target=_outlive_not, args=(parent,), daemon=True).start()


def _outlive_not(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(GLANCE)
    os._exit(1)


def _run(first: int, chunk: int) -> list[Any]:
    items, call = _shared
    return list(call(items[first : first + chunk]))

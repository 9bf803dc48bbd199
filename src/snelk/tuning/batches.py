"""Work on many variants, batch by batch, in this process or in several."""

from __future__ import annotations

import os
import threading
import time
import warnings
from collections.abc import Callable, Iterable, Iterator
from typing import Any, TypeVar
from uuid import uuid4

from snelk.body.registry import Registered, registry
from snelk.waiting import seldom_look_for_garbage

T = TypeVar("T")

BATCH = 25
"""So many variants are stepped together: of more the arrays do not stay in the cache, and fewer are
not worth a process of their own.
"""

WATCH_EVERY = 0.5
"""Seconds between two looks whether the process that started this one is still there."""


def cores() -> int:
    """The number of processes that can work at the same time."""
    from joblib import cpu_count

    return int(cpu_count())


def workers(jobs: int | None, cluster: str | None) -> int:
    """The number of parallel batches: as given, of a cluster, or one for each core.

    Raises:
        InputError: The cluster does not answer.
    """
    if cluster is not None:
        from snelk.tuning.cluster import threads_of

        return threads_of(cluster)
    return jobs or cores()


def in_batches(
    work: Callable[..., T],
    job: Any,
    tasks: Iterable[tuple[Any, ...]],
    *,
    jobs: int,
    cluster: str | None = None,
) -> Iterator[T]:
    """`work(job, *task)` of each task, in the order in which they are done.

    Args:
        work: A function of a module.
        job: Data that all tasks share; every process unpacks it once.
        tasks: The data of each task.
        jobs: How many processes; with one it is done here, in order.
        cluster: The address of a Dask scheduler, whose workers are used instead.
    """
    if cluster is not None:
        from snelk.tuning.cluster import on_cluster

        yield from on_cluster(cluster, work, job, tasks)
        return
    if jobs <= 1:
        for task in tasks:
            yield work(job, *task)
        return
    from joblib import Parallel, delayed

    name, activities = uuid4().hex, dict(registry())
    parallel = Parallel(
        n_jobs=jobs, return_as="generator_unordered", batch_size=1,
        initializer=end_with, initargs=(os.getpid(),),
    )  # fmt: skip
    found = parallel(delayed(_elsewhere)(work, name, job, activities, task) for task in tasks)
    try:
        for each in found:  # noqa: UP028, as `yield from` would close it itself, and not quietly
            yield each
    finally:
        with warnings.catch_warnings():  # who stops meanwhile knows that the rest is not done
            warnings.simplefilter("ignore")
            found.close()


def end_with(parent: int) -> None:
    """Let this process end when the one that started it is no more, even if that was killed."""
    seldom_look_for_garbage()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(WATCH_EVERY)
        os._exit(1)

    if os.name == "posix":
        threading.Thread(target=watch, daemon=True).start()


_KNOWN: dict[str, Any] = {}
"""The job that this process works at: its level is prepared once."""


def _elsewhere(
    work: Callable[..., T],
    name: str,
    job: Any,
    activities: dict[str, Registered],
    task: tuple[Any, ...],
) -> T:
    if name not in _KNOWN:
        _KNOWN.clear()
        _KNOWN[name] = job
        # Users' activities may be defined in their script, which this process does not import.
        registry().update(activities)
    return work(_KNOWN[name], *task)

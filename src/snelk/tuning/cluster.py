"""Many machines: workers of a Dask cluster instead of local processes.

Only names of Snelk's functions and plain data are sent; every worker needs the same version of
Snelk. If a worker dies, its batch is sent to another.
"""

from __future__ import annotations

import logging
import socket
import time
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import CancelledError
from contextlib import contextmanager
from typing import Any, TypeVar

from snelk.body.registry import registry
from snelk.errors import InputError
from snelk.versions import version

T = TypeVar("T")

CLUSTER = "--cluster"

ANSWERS_WITHIN = 10.0
"""So long an address has to answer, and to have a worker, s."""

GONE_FOR = 60.0
"""If there has been no worker for so long the work is given up, s."""

TRIES = 10
"""So often a batch is sent whose workers die: it is not the batch that kills them, most likely."""

FORGOTTEN = ("cancelled", "lost")
"""What becomes of a task that the scheduler does not know any more. That can also be because a
worker was killed at a bad moment.
"""

AT_ONCE = 3
"""So many batches for each thread of a worker are on their way."""


class _AgainError(Exception):
    """A batch is to be sent once more."""


def threads_of(address: str) -> int:
    """The number of parallel batches of a cluster.

    Raises:
        InputError: Nothing answers there, it has no workers, or they have another Snelk.
    """
    with _client(address) as client:
        workers = client.scheduler_info(n_workers=-1)["workers"].values()
        return max(sum(int(each["nthreads"]) for each in workers), 1)


def on_cluster(
    address: str, work: Callable[..., T], job: Any, tasks: Iterable[tuple[Any, ...]]
) -> Iterator[T]:
    """`work(job, *task)` of each task, in the order in which they are done; as `in_batches`.

    Raises:
        InputError: Nothing answers there, it has no workers, they have another Snelk, or all of
            them are gone.
    """
    with _client(address) as client:
        shared = _share(client, job)
        most = AT_ONCE * max(sum(client.nthreads().values()), 1)
        left, going = iter(tasks), {}
        for task in _some(left, most):
            going[_send(client, work, shared, task)] = task, 1
        while going:
            for future in _done(client, list(going), address):
                task, tries = going.pop(future)
                try:
                    made = _made(client, future, tries, address)
                except _AgainError:
                    if shared.status in FORGOTTEN:
                        shared = _share(client, job)
                    going[_send(client, work, shared, task)] = task, tries + 1
                    continue
                yield made
                for more in _some(left, most - len(going)):
                    going[_send(client, work, shared, more)] = more, 1


def _some(tasks: Iterator[tuple[Any, ...]], count: int) -> list[tuple[Any, ...]]:
    return [task for _, task in zip(range(count), tasks, strict=False)]


def _send(client: Any, work: Callable[..., Any], shared: Any, task: tuple[Any, ...]) -> Any:
    return client.submit(_on_worker, work, shared, task, pure=False)


def _share(client: Any, job: Any) -> Any:
    """Data that all tasks share: a task itself, so that it is done again if its worker dies."""
    return client.submit(_given, job, dict(registry()), pure=False)


def _given(job: Any, activities: dict[str, Any]) -> tuple[Any, dict[str, Any]]:
    """Data that all tasks share, on a worker."""
    return job, activities


def _on_worker(work: Callable[..., T], shared: tuple[Any, Any], task: tuple[Any, ...]) -> T:
    job, activities = shared
    registry().update(activities)
    return work(job, *task)


def _done(client: Any, going: list[Any], address: str) -> list[Any]:
    """Those that are done or forgotten, once any is."""
    from distributed import wait

    gone_since = None
    while True:
        try:
            with client.as_current():
                return list(wait(going, timeout=2.0, return_when="FIRST_COMPLETED").done)
        except CancelledError:
            return [each for each in going if each.status in FORGOTTEN]
        except TimeoutError:
            if client.status != "running":
                raise _lost(address) from None
            now = time.monotonic()
            gone_since = None if client.nthreads() else (gone_since or now)
            if gone_since is not None and now - gone_since > GONE_FOR:
                rule = f"has had no workers for {GONE_FOR:g} s"
                fix = "start some; the same command continues a sweep"
                raise InputError.of(CLUSTER, "", address, rule, fix) from None


def _made(client: Any, future: Any, tries: int, address: str) -> Any:
    """What a task came to. The scheduler can forget it at any moment, between two questions too.

    Raises:
        _AgainError: Its workers died or it was forgotten: it is to be sent once more.
        InputError: The scheduler is gone, or it was sent often enough; or what the task raised.
    """
    from distributed import KilledWorker

    try:
        if future.status != "lost":
            return future.result()
    except (CancelledError, KilledWorker):
        pass
    if not _answers(client):
        raise _lost(address)
    if tries < TRIES:
        raise _AgainError
    rule = "lost every worker that computed one of the batches"
    raise InputError.of(CLUSTER, "", address, rule, "check the memory of the workers")


def _answers(client: Any) -> bool:
    """Whether the scheduler still does."""
    try:
        client.nthreads()
    except OSError:
        return False
    return str(client.status) == "running"


def _lost(address: str) -> InputError:
    fix = "start it again; the same command continues a sweep"
    return InputError.of(CLUSTER, "", address, "no longer answers", fix)


@contextmanager
def _client(address: str) -> Iterator[Any]:
    """A connection to a cluster that has workers, all of the same Snelk as here."""
    for name in ("distributed", "distributed.client", "distributed.core", "tornado"):
        logging.getLogger(name).setLevel(logging.CRITICAL)  # what matters is told in one line
    try:
        client = _connected(address)
    except ImportError:
        fix = 'install it with: pip install "snelk[cluster]"'
        raise InputError.of(
            CLUSTER, "", address, "needs Dask, which is not installed", fix
        ) from None
    except (OSError, ValueError, TypeError):
        fix = "start one: dask scheduler, then on each machine dask worker ADDRESS"
        raise InputError.of(CLUSTER, "", address, "no Dask scheduler answers there", fix) from None
    try:
        _look_over(client, address)
        yield client
    except OSError:
        if _answers(client):
            raise  # by the work itself
        raise _lost(address) from None
    finally:
        client.close(timeout=ANSWERS_WITHIN)


def _connected(address: str) -> Any:
    """A connection to a scheduler.

    Raises:
        ImportError: Dask is not installed.
        OSError, ValueError, TypeError: Nothing answers there, or it is no address.
    """
    from distributed import Client

    class Connection(Client):
        def __init__(self) -> None:
            try:
                super().__init__(address, timeout=ANSWERS_WITHIN, set_as_default=False)
            except BaseException:
                self.status = "closed"  # else it waits for that when it is collected
                raise

    _knock(address)
    return Connection()


def _knock(address: str) -> None:
    """Make sure that anything answers at an address, before it is waited for.

    Raises:
        OSError, ValueError: Nothing does, or it is no address.
    """
    from distributed.comm.addressing import parse_address, parse_host_port

    scheme, place = parse_address(address)
    if scheme in ("tcp", "tls"):
        host, port = parse_host_port(place)
        socket.create_connection((host, port), timeout=ANSWERS_WITHIN).close()


def _look_over(client: Any, address: str) -> None:
    """Make sure that there are workers, and that they have the same Snelk."""
    until = time.monotonic() + ANSWERS_WITHIN
    while not client.nthreads():
        if time.monotonic() > until:
            fix = f"start some: dask worker {address}"
            raise InputError.of(CLUSTER, "", address, "has no workers", fix)
        time.sleep(0.1)
    for worker, there in client.run(_snelk_here, on_error="return").items():
        here = version("snelk")
        if there != here:
            given = there if isinstance(there, str) else "none"
            rule = f"the worker at {worker} has another Snelk than this one, {here}"
            fix = f"install it there: pip install snelk=={here}"
            raise InputError.of(CLUSTER, "", given, rule, fix)


def _snelk_here() -> str:
    return version("snelk")

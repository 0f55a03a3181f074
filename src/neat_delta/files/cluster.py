"""The workers of a Dask cluster, which lift the heavy work off this machine.

A worker that is lost is Dask's business: its work is done again by another. All workers must reach the files by the
same path, and have this version of the program.
"""

from __future__ import annotations

import time
from collections import deque
from contextlib import contextmanager
from importlib.metadata import version
from typing import TYPE_CHECKING, Any, TypeVar

from neat_delta.base.errors import InvalidInput, InvalidOption, NeatDeltaError
from neat_delta.base.extras import CLUSTER, from_extra
from neat_delta.files.workers import working_with

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator

    from distributed import Client, Future

T = TypeVar("T")
LOCAL = "local"
# So many pieces of work a thread of a worker are handed out before the first of their results is taken.
AHEAD = 3
# In seconds: how long a scheduler is waited for, how often is looked whether there are workers still, and how long
# there may be none.
ANSWER_TIME, LOOK, NO_WORKER_TIME = 10, 2, 60


class ClusterWorkers:
    """The workers of a cluster's scheduler."""

    elsewhere = True

    def __init__(self, client: Client) -> None:
        self.client = client

    def each(self, work: Callable[..., T], tasks: Iterable[tuple[Any, ...]]) -> Iterator[T]:
        """What the work gives for each tuple of arguments, in their order; some are begun ahead of being asked for."""
        begun: deque[Future[Any]] = deque()
        ahead = AHEAD * max(1, sum(self.client.nthreads().values()))
        for task in tasks:
            begun.append(self.client.submit(work, *task, pure=False))
            if len(begun) > ahead:
                yield self._result(begun.popleft())
        while begun:
            yield self._result(begun.popleft())

    def _result(self, future: Future[Any]) -> Any:
        since = time.monotonic()
        while True:
            try:
                return future.result(timeout=LOOK)
            except TimeoutError as error:
                if self.client.nthreads():
                    since = time.monotonic()
                elif time.monotonic() - since > NO_WORKER_TIME:
                    raise InvalidOption(
                        "the cluster has no workers any more",
                        option="cluster",
                        hint="Start workers, then run the command again.",
                    ) from error
            except NeatDeltaError:
                raise
            except OSError as error:
                raise InvalidInput(
                    f"a worker of the cluster cannot read it ({error.strerror})",
                    file=error.filename,
                    hint="Put the file where all workers reach it by this path.",
                ) from error
            except Exception as error:
                raise InvalidOption(
                    f"a worker of the cluster failed ({type(error).__name__}: {error})",
                    option="cluster",
                    hint="Start its workers again, or leave the option out.",
                ) from error


@contextmanager
def cluster(address: str) -> Iterator[None]:
    """Within this context the workers of the scheduler at this address do the work; ``local`` starts some here.

    Raises:
        NotInstalled: Dask is missing.
        InvalidOption: nobody answers, or a worker has another version of this program.
    """
    with from_extra(CLUSTER, "clusters", option="cluster"):
        from distributed import Client, LocalCluster
    local = (
        LocalCluster(processes=True, threads_per_worker=1, dashboard_address="127.0.0.1:0")
        if address == LOCAL
        else None
    )
    try:
        client = Client(local or address, timeout=ANSWER_TIME, set_as_default=False)
    except (OSError, ValueError, TimeoutError) as error:
        raise InvalidOption(
            "no scheduler answers at this address",
            option="cluster",
            value=address,
            hint="Start one with: dask scheduler. Its address is like tcp://host:8786.",
        ) from error
    try:
        _insist_on_version(client, address)
        with working_with(ClusterWorkers(client)):
            yield
    finally:
        client.close()
        if local:
            local.close()


def _version() -> str:
    return version("neat-delta")


def _insist_on_version(client: Client, address: str) -> None:
    try:
        versions = client.run(_version, on_error="return")
    except Exception as error:
        raise InvalidOption(
            f"its workers cannot be asked ({error})", option="cluster", value=address, hint="Start them again."
        ) from error
    if not versions:
        raise InvalidOption(
            "the scheduler has no workers",
            option="cluster",
            value=address,
            hint=f"Start some with: dask worker {address}",
        )
    version = _version()
    for worker, answer in versions.items():
        if answer != version:
            theirs = answer if isinstance(answer, str) else "none"
            raise InvalidOption(
                f"worker {worker} has another version of neat-delta ({theirs}, not {version})",
                option="cluster",
                value=address,
                hint="Install the same version on all workers.",
            )

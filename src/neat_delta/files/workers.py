"""Who does work on pieces of a large file: this thread, or the workers of a cluster; nothing heavy is imported here.

Work is a function without side effects of arguments that can be sent, so that it may be done anywhere, and done again.
"""

from __future__ import annotations

from contextlib import contextmanager
from contextvars import ContextVar
from typing import TYPE_CHECKING, Any, Protocol, TypeVar

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator

T = TypeVar("T")


class Workers(Protocol):
    """Those who do work."""

    def each(self, work: Callable[..., T], tasks: Iterable[tuple[Any, ...]]) -> Iterator[T]:
        """What the work gives for each tuple of arguments, in their order, as it is asked for."""

    @property
    def elsewhere(self) -> bool:
        """Whether they are other processes, which can only take what they can reach themselves."""


class ThisThread:
    """Work is done here, one piece after another, when its result is asked for."""

    elsewhere = False

    def each(self, work: Callable[..., T], tasks: Iterable[tuple[Any, ...]]) -> Iterator[T]:
        """What the work gives for each tuple of arguments, in their order, as it is asked for."""
        return (work(*task) for task in tasks)


HERE = ThisThread()
_workers: ContextVar[Workers] = ContextVar("workers", default=HERE)


def workers() -> Workers:
    """Who does the work in this context."""
    return _workers.get()


@contextmanager
def working_with(those: Workers) -> Iterator[None]:
    """Within this context these do the work on files that they can reach."""
    token = _workers.set(those)
    try:
        yield
    finally:
        _workers.reset(token)

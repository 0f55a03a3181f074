"""Packages that only some need, as extras of this one: one that is missing is asked for by name."""

from __future__ import annotations

from contextlib import contextmanager
from typing import TYPE_CHECKING

from neat_delta.base.errors import NotInstalled

if TYPE_CHECKING:
    from collections.abc import Iterator

CHARTS, SQL, REMOTE, CLUSTER, PANDAS = "charts", "sql", "remote", "cluster", "pandas"


@contextmanager
def from_extra(extra: str, what: str, *, file: object = None, option: str | None = None) -> Iterator[None]:
    """Within this context packages of an extra are imported, for ``what``.

    Raises:
        NotInstalled: one of them is not installed.
    """
    try:
        yield
    except ModuleNotFoundError as error:
        raise NotInstalled(
            f"{what} need a package that is not installed ({error.name})",
            file=file,
            option=option,
            hint=f'Run: pip install "neat-delta[{extra}]"',
            extra=extra,
        ) from error

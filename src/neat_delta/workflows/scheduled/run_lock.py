"""One run at a time, each in a folder of its own."""

from __future__ import annotations

import contextlib
from contextlib import contextmanager
from typing import TYPE_CHECKING

from filelock import FileLock, Timeout

from neat_delta.atomic_write import temp_path, write_atomic
from neat_delta.errors import WriteError
from neat_delta.workflows.scheduled.report import RunReport

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from neat_delta.workflows.scheduled.run_config import RunConfig

LATEST = "latest"


@contextmanager
def exclusive_run(config: RunConfig) -> Iterator[RunReport]:
    """A report with a new folder for this run, while no other run of the same file is at work.

    The lock is the system's: it is gone when a run is killed.

    Raises:
        WriteError: another run is at work, or the folder cannot be made.
    """
    lock = FileLock(config.folder / f".{config.name}.lock", blocking=False)
    report = RunReport(config.name, config.folder.resolve())
    try:
        config.folder.mkdir(parents=True, exist_ok=True)
        lock.acquire()
        report.folder = _new_folder(report.folder, f"{config.name}-{report.started:%Y-%m-%dT%H%M%SZ}")
        _point(config.folder / f"{config.name}-{LATEST}", report.folder)
    except Timeout as error:
        raise WriteError(
            "already running", file=config.path, hint="Wait until it has finished; nothing was done."
        ) from error
    except OSError as error:
        lock.release()
        raise WriteError(f"cannot make the folder of the run ({error.strerror})", file=config.folder) from error
    try:
        yield report
    finally:
        lock.release()


def _new_folder(place: Path, name: str) -> Path:
    number = 1
    while True:
        folder = place / (name if number == 1 else f"{name}-{number}")
        try:
            folder.mkdir()
        except FileExistsError:
            number += 1
        else:
            return folder


def _point(latest: Path, folder: Path) -> None:
    """Let ``latest`` be another name of the newest run's folder; where a system has no such names, say it in a file.

    Something else of that name stays what it is.
    """
    if latest.exists() and not latest.is_symlink():
        return
    draft = temp_path(latest)
    try:
        draft.symlink_to(folder.name, target_is_directory=True)
        draft.replace(latest)
    except OSError:
        with contextlib.suppress(WriteError):
            write_atomic(latest.with_name(f"{latest.name}.txt"), f"{folder.name}\n".encode(), replace=True)

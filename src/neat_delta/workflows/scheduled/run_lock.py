"""One run at a time, each in a folder of its own."""

from __future__ import annotations

from contextlib import contextmanager
from typing import TYPE_CHECKING

from filelock import FileLock, Timeout

from neat_delta.base.errors import WriteError
from neat_delta.files.atomic_write import write_atomic
from neat_delta.workflows.scheduled.report import RunReport

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping
    from pathlib import Path

    from neat_delta.workflows.scheduled.run_config import RunConfig

LATEST = "latest"
# The files of a summary; a mail is only there if the run file says to whom.
SUMMARIES = ("summary.json", "summary.txt", "summary.html", "summary.eml")


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


def publish_latest(config: RunConfig, files: Mapping[str, bytes]) -> None:
    """Keep the summary of the newest run where it is always found; of the one before nothing is left there.

    It is a plain folder, for not every system has names that point to another folder. Something else of that name stays
    what it is.

    Raises:
        WriteError: a file cannot be written.
    """
    latest = config.folder / f"{config.name}-{LATEST}"
    if latest.is_symlink():
        latest.unlink()
    if latest.exists() and not latest.is_dir():
        return
    latest.mkdir(parents=True, exist_ok=True)
    for name in SUMMARIES:
        if name in files:
            write_atomic(latest / name, files[name], replace=True)
        else:
            (latest / name).unlink(missing_ok=True)

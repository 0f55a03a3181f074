"""Files and folders that appear whole or not at all, and are on the disk before success is reported.

They are made as a draft beside their place, synced, and moved there in one step. Only what is known to be ours is ever
taken away: drafts of runs that were killed, by their exact names and while no other run holds them.
"""

from __future__ import annotations

import contextlib
import os
import re
import secrets
import shutil
import stat
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.errors import WriteError
from neat_delta.files.atomic_rename import exchange, rename_new
from neat_delta.files.output_paths import is_standard_output, note_standard_output
from neat_delta.files.trouble import reason, remedy

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator

DRAFT, BEFORE = ".draft", ".before"
# A draft that no run holds is left from one that was killed, once it has had the time to be held; where the system
# cannot tell who holds what, once nothing of ours takes that long, in seconds.
UNHELD, LONGEST_RUN = 60, 24 * 3600


def temp_path(path: Path) -> Path:
    """A name for the draft of a file or folder, on the same disk; drafts of killed runs are cleared away."""
    for left in _left_beside(path, DRAFT):
        if _is_abandoned(left):
            shutil.rmtree(left, ignore_errors=True) if left.is_dir() else left.unlink(missing_ok=True)
    return path.with_name(f".{path.name}.{secrets.token_hex(4)}{DRAFT}")


def _left_beside(path: Path, suffix: str) -> list[Path]:
    """What has exactly the name of a draft of this path, or of what stepped aside for one."""
    exact = re.compile(rf"\.{re.escape(path.name)}\.[0-9a-f]{{8}}{re.escape(suffix)}")
    try:
        beside = sorted(one for one in path.parent.iterdir() if exact.fullmatch(one.name))
    except OSError:
        return []
    return [one for one in beside if not one.is_symlink() and (one.is_dir() or one.is_file())]


def _is_abandoned(draft: Path) -> bool:
    try:
        age = time.time() - draft.stat().st_mtime
        return age > LONGEST_RUN or (age > UNHELD and os.name == "posix" and not _is_held(draft))
    except OSError:
        return False


def _is_held(path: Path) -> bool:
    """Whether another run is at work on a draft; true where nobody can tell."""
    number = os.open(path, os.O_RDONLY)
    try:
        return not _hold(number, wait=False)
    finally:
        os.close(number)


def _hold(number: int, *, wait: bool) -> bool:
    """Hold an open file or folder against other runs until it is closed; whether that worked."""
    try:
        import fcntl
    except ImportError:
        return False
    try:
        fcntl.flock(number, fcntl.LOCK_EX if wait else fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True


def write_atomic(path: Path, data: bytes | Iterable[bytes], *, replace: bool = False) -> None:
    """Write a file in one step: under a name that is free or, with ``replace``, over the file that has it.

    ``data`` are its bytes, or parts of them one after another.

    A file that is replaced keeps its mode, and a symbolic link goes on pointing at it. It is on the disk when this
    returns.

    Raises:
        WriteError: the name is taken, or the disk refuses; what stood there still does.
    """
    if is_standard_output(path):
        _write_standard_output(data)
        return
    target = Path(os.path.realpath(path)) if path.is_symlink() else path
    try:
        before = target.stat() if replace and target.is_file() else None
        draft = temp_path(target)
        with _draft_file(draft, before) as number:
            with open(number, "wb", closefd=False) as file:
                file.writelines([data] if isinstance(data, bytes) else data)
            os.fsync(number)
            if os.name != "posix":
                os.close(number)
            if before is None:
                rename_new(draft, target)
            else:
                draft.replace(target)
        sync_folder(target.parent)
    except FileExistsError as error:
        raise WriteError(
            "the file already exists",
            file=path,
            hint="Choose another name, or allow it to be overwritten.",
            code="file-exists",
        ) from error
    except (OSError, ValueError) as error:
        why = f"the file cannot be written ({reason(error)})"
        raise WriteError(why, file=path, hint=remedy(error)) from error


def _write_standard_output(data: bytes | Iterable[bytes]) -> None:
    """Write on standard output what else would be a file; whoever reads it may have gone."""
    note_standard_output()
    with contextlib.suppress(BrokenPipeError):
        sys.stdout.buffer.writelines([data] if isinstance(data, bytes) else data)
        sys.stdout.buffer.flush()


@contextlib.contextmanager
def new_together(*paths: Path | None) -> Iterator[None]:
    """Files that come into being together: if one cannot be made, those go again that were not there before."""
    fresh = [path for path in paths if path is not None and not path.exists()]
    try:
        yield
    except BaseException:
        for path in fresh:
            with contextlib.suppress(OSError):
                path.unlink(missing_ok=True)
        raise


@contextlib.contextmanager
def _draft_file(draft: Path, before: os.stat_result | None) -> Iterator[int]:
    """A new file of this name, open and held, with the mode and owner that the one before has; gone if not moved."""
    private = os.O_CREAT | os.O_EXCL | os.O_WRONLY | getattr(os, "O_BINARY", 0)
    number = os.open(draft, private, 0o666 if before is None else 0o600)
    try:
        _hold(number, wait=False)
        if before is not None and os.name == "posix":
            with contextlib.suppress(OSError):
                os.fchown(number, before.st_uid, before.st_gid)
            os.fchmod(number, stat.S_IMODE(before.st_mode))
        yield number
    finally:
        with contextlib.suppress(OSError):
            os.close(number)
        draft.unlink(missing_ok=True)


@contextlib.contextmanager
def draft_folder(folder: Path) -> Iterator[Path]:
    """A draft of a folder beside its place, held against other runs; gone afterwards, unless it was moved.

    Raises:
        WriteError: it cannot be made.
    """
    draft, number = temp_path(folder), None
    missing = [parent for parent in folder.parents if not parent.exists()]
    try:
        draft.mkdir(parents=True)
        made = draft.stat().st_ino
        if os.name == "posix":
            number = os.open(draft, os.O_RDONLY)
            _hold(number, wait=False)
    except OSError as error:
        raise WriteError(f"the folder cannot be made ({error.strerror})", file=folder) from error
    try:
        yield draft
    finally:
        if number is not None:
            os.close(number)
        # Under this name may lie by now what stood at the place before.
        if draft.exists() and draft.stat().st_ino == made:
            shutil.rmtree(draft, ignore_errors=True)
        for parent in missing:
            with contextlib.suppress(OSError):
                sync_folder(parent.parent) if folder.exists() else parent.rmdir()


def replace_dir(draft: Path, folder: Path, check: Callable[[Path], None], remove: Callable[[Path], None]) -> None:
    """Move a draft of a folder to its place, in one step where the system has one.

    ``check`` raises if a folder holds what must not be replaced. It is asked of what is at the place, while no
    other run of ours may move anything there, and again once it has stepped aside: what somebody put into it meanwhile
    comes back with it. ``remove`` then takes away what stepped aside.

    Raises:
        WriteError: the disk refuses; what stood there still does.
    """
    try:
        for path in (*sorted(draft.rglob("*")), draft):
            sync(path)
        with alone_with(folder.parent, wait=True):
            aside = _moved_in(draft, folder, check)
            sync_folder(folder.parent)
    except OSError as error:
        why = f"the folder cannot be moved into place ({reason(error)})"
        raise WriteError(why, file=folder, hint=remedy(error)) from error
    if aside is not None:
        remove(aside)


def _moved_in(draft: Path, folder: Path, check: Callable[[Path], None]) -> Path | None:
    """Where that lies now which stood at the place, if anything did."""
    check(folder)
    if not folder.exists():
        rename_new(draft, folder)
        return None
    aside = draft
    if not exchange(draft, folder):
        aside = draft.with_suffix(BEFORE)
        folder.rename(aside)
        try:
            draft.rename(folder)
        except OSError:
            aside.rename(folder)
            raise
    try:
        check(aside)
    except WriteError:
        if aside == draft:
            exchange(draft, folder)
        else:
            folder.rename(draft)
            aside.rename(folder)
        raise
    return aside


def recover_dir(folder: Path, remove: Callable[[Path], None]) -> None:
    """Bring back a folder that had stepped aside when a run was killed, or take it away if the new one is there."""
    for aside in _left_beside(folder, BEFORE):
        if folder.exists():
            remove(aside)
        else:
            aside.rename(folder)


@contextlib.contextmanager
def alone_with(folder: Path, *, wait: bool = False) -> Iterator[bool]:
    """Hold a folder against other runs of ours; whether that worked, taken for granted where nobody can tell."""
    if os.name != "posix":
        yield True
        return
    number = os.open(folder, os.O_RDONLY)
    try:
        yield _hold(number, wait=wait)
    finally:
        os.close(number)


def sync(path: Path) -> None:
    """See that a file, or the names in a folder, are on the disk."""
    if path.is_dir():
        sync_folder(path)
        return
    number = os.open(path, os.O_RDWR | getattr(os, "O_BINARY", 0))
    try:
        os.fsync(number)
    finally:
        os.close(number)


def sync_folder(folder: Path) -> None:
    """See that the names in a folder are on the disk, where the system can do that for folders."""
    if os.name != "posix":
        return
    number = os.open(folder, os.O_RDONLY)
    try:
        with contextlib.suppress(OSError):  # some disks cannot, and then there is nothing more to be done
            os.fsync(number)
    finally:
        os.close(number)

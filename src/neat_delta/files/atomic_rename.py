"""Renames that are one step for the disk, where the system has them: into a free name only, or two names exchanged."""

from __future__ import annotations

import ctypes
import errno
import os
import sys
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

# linux/fs.h: AT_FDCWD, RENAME_NOREPLACE, RENAME_EXCHANGE; macOS sys/stdio.h: RENAME_EXCL, RENAME_SWAP.
HERE, LINUX_NEW, LINUX_EXCHANGE = -100, 1, 2
MACOS_NEW, MACOS_EXCHANGE = 4, 2
# What a system or a disk answers that knows no such rename.
UNKNOWN = (errno.ENOSYS, errno.EINVAL, errno.ENOTSUP, errno.EOPNOTSUPP, errno.EXDEV)


def rename_new(source: Path, target: Path) -> None:
    """Rename a file or folder to a name that is free.

    Raises:
        FileExistsError: the name is taken; nothing has changed.
        OSError: the disk refuses.
    """
    if _renamed(source, target, LINUX_NEW, MACOS_NEW):
        return
    if os.name == "posix" and not source.is_dir():
        # Rename would go over what is there; a second name for the same file does not.
        try:
            os.link(source, target)
        except FileExistsError:
            raise
        except OSError as error:
            if error.errno not in (*UNKNOWN, errno.EPERM):
                raise
        else:
            source.unlink()
            return
    if target.exists() or target.is_symlink():
        raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), str(target))
    source.rename(target)


def exchange(one: Path, other: Path) -> bool:
    """Exchange two names in one step; false, and nothing has changed, where that cannot be done here.

    Raises:
        OSError: the disk refuses.
    """
    return _renamed(one, other, LINUX_EXCHANGE, MACOS_EXCHANGE)


def _renamed(source: Path, target: Path, linux: int, macos: int) -> bool:
    """Whether the system has done it; false where it knows no such rename."""
    rename = _system_rename(linux, macos)
    if rename is None or rename(os.fsencode(source), os.fsencode(target)) == 0:
        return rename is not None
    number = ctypes.get_errno()
    if number in UNKNOWN:
        return False
    raise OSError(number, os.strerror(number), str(source), None, str(target))


def _system_rename(linux: int, macos: int) -> Callable[[bytes, bytes], int] | None:
    if sys.platform not in ("linux", "darwin"):
        return None
    library = ctypes.CDLL(None, use_errno=True)
    if sys.platform == "linux" and hasattr(library, "renameat2"):
        return lambda source, target: int(library.renameat2(HERE, source, HERE, target, linux))
    if sys.platform == "darwin" and hasattr(library, "renamex_np"):
        return lambda source, target: int(library.renamex_np(source, target, macos))
    return None

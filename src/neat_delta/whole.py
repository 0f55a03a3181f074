"""Files and folders written whole or not at all: as a draft beside their place, which is then moved there."""

from __future__ import annotations

import secrets
import shutil
import time
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.errors import CannotWrite

if TYPE_CHECKING:
    from collections.abc import Iterable


DRAFT, BEFORE = ".draft", ".before"
# Nothing of ours takes longer; what is older is left from a run that was killed.
LONGEST_RUN = 3600


def draft_of(path: Path) -> Path:
    """A name for the draft of a file or folder, on the same disk; drafts of runs that were killed are cleared away."""
    for left in path.parent.glob(f".{path.name}.*{DRAFT}"):
        if time.time() - left.stat().st_mtime > LONGEST_RUN:
            shutil.rmtree(left, ignore_errors=True) if left.is_dir() else left.unlink(missing_ok=True)
    return path.with_name(f".{path.name}.{secrets.token_hex(4)}{DRAFT}")


def put_folder(draft: Path, folder: Path) -> None:
    """Move a draft to its place; what stands there steps aside first, and comes back if the move fails."""
    if not folder.exists():
        draft.rename(folder)
        return
    aside = draft.with_suffix(BEFORE)
    folder.rename(aside)
    try:
        draft.rename(folder)
    except OSError:
        aside.rename(folder)
        raise
    shutil.rmtree(aside, ignore_errors=True)


def put_back(folder: Path) -> None:
    """Bring back a folder that had stepped aside when a run was killed, or clear it away if the new one is there."""
    for aside in sorted(folder.parent.glob(f".{folder.name}.*{BEFORE}")):
        if folder.exists():
            shutil.rmtree(aside, ignore_errors=True)
        else:
            aside.rename(folder)


def is_one_of(path: Path, inputs: Iterable[object]) -> bool:
    """Whether a file is one of these inputs (paths, or what lies elsewhere), also under another name."""
    there = (source for source in inputs if isinstance(source, Path) and source.exists())
    return path.exists() and any(path.samefile(source) for source in there)


def insist_on_place(path: Path | None, *, replace: bool, inputs: Iterable[object] = ()) -> None:
    """See that a file for people, if one is asked for, has a place: where none stands, or over one to ``replace``.

    What stands there may be somebody's work. Asked before anything is written or sent.

    Raises:
        CannotWrite: it would be written over a file, or over one of the inputs (paths, or what lies elsewhere).
    """
    if path is None or not path.exists():
        return
    if path.is_dir():
        raise CannotWrite("this is a folder", file=path, remedy="Name a file in it.")
    if is_one_of(path, inputs):
        raise CannotWrite("this is one of the files that are read", file=path, remedy="Give the new file another name.")
    if not replace:
        raise CannotWrite("this file exists", file=path, remedy="Say --replace, or give another name.")


def write_whole(path: Path, data: bytes) -> None:
    """Write a file beside its place and move it there, over what may stand there.

    Raises:
        CannotWrite: the disk refuses; what stood there still does.
    """
    draft = draft_of(path)
    try:
        draft.write_bytes(data)
        draft.replace(path)
    except OSError as error:
        raise CannotWrite(f"the file cannot be written ({error.strerror})", file=path) from error
    finally:
        draft.unlink(missing_ok=True)

"""Why the system refuses a file, in words for people."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pathlib import Path

# Windows: ERROR_SHARING_VIOLATION and ERROR_LOCK_VIOLATION. ERROR_ACCESS_DENIED also comes from replacing a file that a
# program has open.
OPEN_ELSEWHERE = (32, 33)
DENIED = 5
CLOSE_IT = "Close it in the spreadsheet program or wherever it is open, then run the command again."


def reason(error: OSError | ValueError) -> str:
    """What is in the way; Python raises ``ValueError`` for a name that no file can have."""
    if not isinstance(error, OSError):
        return "this name is not possible"
    code = getattr(error, "winerror", None)
    if code in OPEN_ELSEWHERE:
        return "it is open in another program"
    if code == DENIED:
        return "not allowed, or it is open in another program"
    return error.strerror or str(error)


def lock_file(path: Path) -> Path | None:
    """The file beside this one by which a spreadsheet program marks that it is open there, if there is one."""
    name = path.name
    marks = (path.with_name(mark) for mark in (f".~lock.{name}#", f"~${name}", f"~${name[2:]}"))
    return next((mark for mark in marks if mark.is_file()), None)


def remedy(error: OSError | ValueError) -> str | None:
    """What to do about it, as far as that is known."""
    return CLOSE_IT if getattr(error, "winerror", None) in (*OPEN_ELSEWHERE, DENIED) else None

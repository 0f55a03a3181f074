"""Single files, written whole or not at all."""

from __future__ import annotations

import secrets
from typing import TYPE_CHECKING

from neat_delta.errors import CannotWrite

if TYPE_CHECKING:
    from pathlib import Path


def write_whole(path: Path, data: bytes) -> None:
    """Write a file beside its place and move it there, over what may stand there.

    Raises:
        CannotWrite: the disk refuses; what stood there still does.
    """
    draft = path.with_name(f".{path.name}.{secrets.token_hex(4)}.draft")
    try:
        draft.write_bytes(data)
        draft.replace(path)
    except OSError as error:
        raise CannotWrite(f"the file cannot be written ({error.strerror})", file=path) from error
    finally:
        draft.unlink(missing_ok=True)

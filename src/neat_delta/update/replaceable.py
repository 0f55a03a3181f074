"""What of an update's folder may be replaced: the files its receipt lists, as they were written, and nothing else."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput, WriteError
from neat_delta.files.output_paths import inputs_in
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.update.receipt import APPROVAL_FILE, RECEIPT, SENT_FILE, UNDO, load_receipt

if TYPE_CHECKING:
    from pathlib import Path

ANOTHER = "Choose a new or empty folder."


def check_replaceable(folder: Path, asked_folder: Path, *, replace: bool) -> str | None:
    """See that an update can be put in the place of a folder; ``asked_folder`` is what it is called in messages.

    Returns the checksum of the receipt that is there, ``None`` if none does.

    Raises:
        WriteError: it is no folder, something of somebody else's is in it, a file is not as it was written, or an
            earlier update is there and is not to be replaced.
    """
    if not folder.exists():
        return None
    if not folder.is_dir():
        raise WriteError("this is a file, not a folder", file=asked_folder, hint=ANOTHER)
    if not any(folder.iterdir()):
        return None
    profile = _listed(folder)
    if profile is None:
        raise WriteError("the folder is not empty", file=asked_folder, hint=ANOTHER)
    if not replace:
        raise WriteError(
            "the folder already contains an update",
            file=asked_folder,
            hint="Choose another folder, or allow it to be overwritten.",
            code="update-exists",
        )
    for path in sorted(folder.rglob("*")):
        _insist_on_ours(path, folder, asked_folder, profile)
    return sha256_hex((folder / RECEIPT).read_bytes())


def check_no_input_in(folder: Path) -> None:
    """See that nothing that is read lies in a folder that is to be replaced.

    Raises:
        WriteError: something does.
    """
    for path in inputs_in(folder):
        raise WriteError(f"{path.name} in this folder is an input file", file=folder, hint="Choose another folder.")


def remove_replaced(folder: Path) -> None:
    """Take away an update's folder that has been replaced; what is not the update's stays where it is."""
    profile = _listed(folder) or {}
    for name, sha256 in profile.items():
        path = folder / name
        if path.is_file() and not path.is_symlink() and sha256 in (None, sha256_hex(path.read_bytes())):
            path.unlink()
    for inner in (*{(folder / name).parent for name in profile} - {folder}, folder):
        if inner.is_dir() and not any(inner.iterdir()):
            inner.rmdir()


def _listed(folder: Path) -> dict[str, str | None] | None:
    """The files of an update by their names in its folder, with their fingerprints; ``None`` without a good receipt.

    The receipt comes last and has none: it cannot list itself. Nor do an approval and the mark of
    sending, which may be put there later.
    """
    try:
        receipt = load_receipt(folder)
    except (InvalidInput, OSError):
        return None
    later = dict.fromkeys((APPROVAL_FILE, f"{UNDO}/{APPROVAL_FILE}", SENT_FILE, RECEIPT))
    return {file.name: file.sha256 for file in receipt.every_file} | later


def _insist_on_ours(path: Path, folder: Path, asked_folder: Path, listed: dict[str, str | None]) -> None:
    name = path.relative_to(folder).as_posix()
    if path.is_dir() and not path.is_symlink() and any(other.startswith(f"{name}/") for other in listed):
        return
    if name not in listed or not path.is_file() or path.is_symlink():
        raise WriteError(
            f"{name} does not belong to the update in this folder, and would be lost",
            file=asked_folder,
            hint="Move it, or choose another folder.",
        )
    if listed[name] not in (None, sha256_hex(path.read_bytes())):
        raise WriteError(
            f"{name} was changed after it was written, and would be lost",
            file=asked_folder,
            hint="Move it, or choose another folder.",
        )

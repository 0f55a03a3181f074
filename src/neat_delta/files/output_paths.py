"""Where a command may write: never over what it reads, twice into one file, or over a file unless allowed to.

The files that a command reads are noted where they are read, the ones it finds by itself included, so that no command
has to remember them.
"""

from __future__ import annotations

import unicodedata
from pathlib import Path

from neat_delta.base.errors import InvalidOption, WriteError

# Only while a command of the command line is at work: a program of somebody else's knows itself what it reads.
_inputs: set[Path] = set()
_watched = False
# Whether what a command makes is on standard output.
_output_taken = False


def note_input(path: object) -> None:
    """Remember a file that is read; what lies elsewhere cannot be written over."""
    if _watched and isinstance(path, Path):
        _inputs.add(path)


def watch_inputs() -> None:
    """Begin to remember inputs, for a new command."""
    global _watched, _output_taken
    _watched, _output_taken = True, False
    _inputs.clear()


def is_standard_output(path: Path) -> bool:
    """Whether a command is to write on its standard output instead of into a file."""
    return _watched and str(path) == "-"


def note_standard_output() -> None:
    """Remember that standard output has what a command makes, so that what it says goes elsewhere."""
    global _output_taken
    _output_taken = True


def standard_output_taken() -> bool:
    """Whether standard output has what a command makes."""
    return _output_taken


def input_at(path: Path) -> Path | None:
    """The input that a file is, also under another name; ``None`` if it is none."""
    if not path.exists():
        return None
    return next((source for source in sorted(_inputs) if source.exists() and path.samefile(source)), None)


def inputs_in(folder: Path) -> list[Path]:
    """The inputs that lie in a folder."""
    inside = folder.resolve()
    return [source for source in sorted(_inputs) if source.is_file() and source.resolve().is_relative_to(inside)]


def check_outputs(*paths: Path | None, folder: Path | None = None, replace: bool = False) -> None:
    """See that each file a command is to write has a place of its own, before anything is written or sent.

    ``folder`` is the update's folder, which is the update's alone. Paths that are ``None`` were not asked for.

    Raises:
        InvalidOption: two of them are the same file, or one lies in the update's folder.
        WriteError: folder not found, the file exists, or it is one of those that are read.
    """
    outputs = [path for path in paths if path is not None]
    for number, path in enumerate(outputs):
        if any(_same(path, other) for other in outputs[:number]):
            raise InvalidOption("two outputs have the same name", file=path, hint="Give each its own name.")
        if folder is not None and _place(path).is_relative_to(_place(folder)):
            raise InvalidOption(
                "the folder of an update can hold only the update", file=path, hint="Put this file somewhere else."
            )
        _check_output(path, replace=replace)


def _check_output(path: Path, *, replace: bool) -> None:
    if is_standard_output(path):
        note_standard_output()
        return
    if path.is_dir():
        raise WriteError("this is a folder", file=path, hint="Give a file in it.")
    if not path.parent.is_dir():
        raise WriteError(f"there is no folder {path.parent}", file=path, hint="Create it, or choose another folder.")
    if not path.exists():
        return
    if not path.is_file():
        raise WriteError("this is a device, not a file", file=path, hint="Give a file.")
    if input_at(path) is not None:
        raise WriteError("this is an input file", file=path, hint="Choose another output name.")
    if not replace:
        raise WriteError(
            "the file already exists",
            file=path,
            hint="Choose another name, or allow it to be overwritten.",
            code="file-exists",
        )


def _same(one: Path, other: Path) -> bool:
    """Whether two names are those of one file; also where the disk takes no heed of letter case."""
    return _folded(one) == _folded(other) or (one.exists() and other.exists() and one.samefile(other))


def _folded(path: Path) -> str:
    return unicodedata.normalize("NFC", str(_place(path))).casefold()


def _place(path: Path) -> Path:
    return path.resolve()

"""What a file is, of which format, and what it becomes in today's."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import orjson
import tomlkit
from tomlkit.exceptions import TOMLKitError

from neat_delta.atomic_write import write_atomic
from neat_delta.changeset.file_form import FORMAT
from neat_delta.changeset.serialization import parse_changes
from neat_delta.errors import InvalidInput, InvalidSettings, WriteError
from neat_delta.migration.change_sets import lifted_change_set
from neat_delta.migration.histories import lifted_history
from neat_delta.migration.settings_files import is_run_file, lifted_settings
from neat_delta.output_paths import check_outputs
from neat_delta.prefetch import read_bytes
from neat_delta.tables.config_loader import load_settings
from neat_delta.update.receipt import RECEIPT
from neat_delta.workflows.scheduled.run_config import load_run

if TYPE_CHECKING:
    from collections.abc import Sequence

GIVE = "Give a change set, a settings file, a run file or a history."
SQLITE = b"SQLite format 3\0"
OLDER = 1
KEPT_SUFFIX = f".format-{OLDER}"


@dataclass(frozen=True)
class Migrated:
    """A file in today's format; ``data`` is ``None`` if it has that already, and ``was`` its format then."""

    path: Path
    kind: str
    was: int
    data: bytes | None

    now = FORMAT


def migrated(path: Path) -> Migrated:
    """A file of this program in today's format; the file itself stays as it is.

    The result has been read by the program once, so that it is known to be usable.

    Raises:
        InvalidInput: it is no file of this program, damaged, or of a later release.
    """
    data = read_bytes(path)
    if data.startswith(SQLITE):
        lifted = lifted_history(data, path)
        return Migrated(path, "history", FORMAT if lifted is None else OLDER, lifted)
    if data.lstrip()[:1] == b"{":
        return _migrated_json(data, path)
    return _migrated_settings(data, path)


def _migrated_json(data: bytes, path: Path) -> Migrated:
    version, kind = _version(data, path)
    if version > FORMAT:
        raise InvalidInput(
            f"this file has format {version}; this program knows formats up to {FORMAT}",
            file=path,
            hint="Install the newest version of neat-delta.",
        )
    if version == FORMAT:
        return Migrated(path, kind, version, None)
    if kind != "change set":
        hint = "Migrate the change set beside it (update.changes.jsonl), and write that again with: neat-delta write"
        raise InvalidInput(f"a {kind} of format {version} cannot be used any more", file=path, hint=hint)
    lifted = lifted_change_set(data, path)
    parse_changes(lifted, path)
    return Migrated(path, kind, version, lifted)


def _version(data: bytes, path: Path) -> tuple[int, str]:
    """The format that a JSON file says, whole or on its first line, and what the file is."""
    for text in (data, data.split(b"\n", 1)[0]):
        try:
            document = orjson.loads(text)
            version = document["neat_delta"]
        except (ValueError, KeyError, TypeError):
            continue
        if isinstance(version, int):
            other = "receipt" if path.name == RECEIPT else "file"
            return version, "change set" if "fields" in document else other
    raise InvalidInput("not a file of this program", file=path, hint=GIVE)


def _migrated_settings(data: bytes, path: Path) -> Migrated:
    if path.suffix.lower() != ".toml":
        raise InvalidInput("not a file of this program", file=path, hint=GIVE)
    try:
        text = data.decode("utf-8-sig")
        run = is_run_file(tomlkit.parse(text))
        lifted = lifted_settings(text)
    except (UnicodeDecodeError, TOMLKitError, RecursionError) as error:
        raise InvalidInput(
            f"not a valid TOML file: {error}", file=path, hint="Correct that line; texts need quotes."
        ) from error
    kind = "run file" if run else "settings"
    if lifted == text:
        return Migrated(path, kind, FORMAT, None)
    _check_settings(lifted, path, run=run)
    return Migrated(path, kind, OLDER, lifted.encode())


def _check_settings(text: str, path: Path, *, run: bool) -> None:
    """Read lifted settings once.

    Raises:
        InvalidSettings: something in them is wrong, and was before.
    """
    with tempfile.TemporaryDirectory() as folder:
        draft = Path(folder) / path.name
        draft.write_text(text, "utf-8")
        try:
            load_run(draft) if run else load_settings(draft)
        except InvalidSettings as error:
            for mistake in error.mistakes:
                mistake.file = path
            raise
        except InvalidInput as error:
            error.file = path
            raise


def save_new(one: Migrated, out: Path, *, replace: bool = False) -> None:
    """Save a file in today's format under another name.

    Raises:
        WriteError: the name is taken, or the disk refuses.
    """
    check_outputs(out, replace=replace)
    write_atomic(out, one.data or b"", replace=replace)


def replace_old(files: Sequence[Migrated]) -> None:
    """Put files in today's format in their places, each in one step; the old ones are kept beside them first.

    What a run has kept that was killed before it was done is the same file, and stays.

    Raises:
        WriteError: another file has the name under which an old one would be kept, or the disk refuses; what stood
            there still does.
    """
    kept = {one.path: one.path.with_name(one.path.name + KEPT_SUFFIX) for one in files}
    to_keep = [path for path, beside in kept.items() if not _is_same(path, beside)]
    for path in to_keep:
        if kept[path].exists():
            raise WriteError(
                "the old file would be kept here, but there is another one", file=kept[path], hint="Move it away."
            )
    check_outputs(*(kept[path] for path in to_keep))
    for path in to_keep:
        write_atomic(kept[path], read_bytes(path))
    for one in files:
        write_atomic(one.path, one.data or b"", replace=True)


def _is_same(one: Path, other: Path) -> bool:
    return other.is_file() and read_bytes(one) == read_bytes(other)

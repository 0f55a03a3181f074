"""Types of what is given on the command line: paths, addresses, amounts, formats."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from neat_delta.files.memory import parse_size
from neat_delta.files.output_paths import note_input

# The largest number that an option means.
MOST = 1_000_000_000
# Less memory than this holds no command.
LEAST_MEMORY = 256 << 20


class LocalPathParam(click.Path):
    """A file or folder of this machine. The core says what is wrong with it; here it only becomes a path."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """The path."""
        if "://" in str(value):
            self.fail(f"{_shown(value)!r} is a URL; give a local file or folder", param, ctx)
        return super().convert(_from_home(value), param, ctx)


class LocationParam(click.Path):
    """A file of this machine, one at an address, or several files."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """The path, the address, or the set of files."""
        from neat_delta.locations import parse_location

        value = _from_home(value)
        location = parse_location(str(value))
        if not isinstance(location, Path):
            return location
        path = super().convert(value, param, ctx)
        note_input(path)
        return path


class ChangesParam(LocationParam):
    """A change set, or the folder of an update, which has one."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """The change set's path or address."""
        folder = Path(str(_from_home(value)))
        if _is_folder(folder):
            from neat_delta.update.receipt import CHANGESET_FILE

            value = str(folder / CHANGESET_FILE) if (folder / CHANGESET_FILE).is_file() else value
        return super().convert(value, param, ctx)


class PlaceParam(click.Path):
    """A folder or file of this machine, or an address; never several."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """The path or the address."""
        from neat_delta.locations import parse_place

        value = _from_home(value)
        place = parse_place(str(value))
        return super().convert(value, param, ctx) if isinstance(place, Path) else place


def _from_home(value: Any) -> Any:
    """A path from the home folder on; not every shell puts that in."""
    text = str(value)
    return str(Path(text).expanduser()) if text.startswith(("~/", "~\\")) else value


def _is_folder(path: Path) -> bool:
    try:
        return path.is_dir()
    except (OSError, ValueError):  # a name that no file can have
        return False


def _shown(value: object) -> str:
    from neat_delta.remote.address import without_secrets

    return without_secrets(str(value))


class MemorySize(click.ParamType[int]):
    """An amount of memory, such as 8GB, in bytes."""

    name = "size"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """The bytes."""
        try:
            size = parse_size(str(value))
        except ValueError:
            self.fail(f"{value!r} is no amount of memory. Write it as 8GB or 500MB", param, ctx)
        if size < LEAST_MEMORY:
            self.fail(f"{value!r} is too little. Give {LEAST_MEMORY >> 20}MB at least", param, ctx)
        return size


class FormatParam(click.Choice):  # type: ignore[type-arg]
    """One of the formats, or one that a plug-in brings; those are only looked up if none of ours is meant."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """The format's name."""
        if value not in self.choices:
            from neat_delta.base.plugins import FORMATS, plugin_names

            if value in plugin_names(FORMATS):
                return value
        return super().convert(value, param, ctx)


class WholeNumber(click.IntRange):
    """A whole number of which there is a least one, but no most: beyond any catalogue's size all mean the same."""

    def __init__(self, least: int) -> None:
        super().__init__(min=least)

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """The number."""
        return min(MOST, super().convert(value, param, ctx))


FILE = LocalPathParam(path_type=Path)
SOURCE = LocationParam(path_type=Path)
CHANGES = ChangesParam(path_type=Path)
PLACE = PlaceParam(path_type=Path)

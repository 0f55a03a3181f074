"""The JSON Schemas (2020-12) of what the program prints and saves, which travel with it."""

from __future__ import annotations

from importlib.resources import files

END = ".schema.json"


def schema_names() -> list[str]:
    """The names of all schemas."""
    return sorted(path.name.removesuffix(END) for path in files(__name__).iterdir() if path.name.endswith(END))


def schema_text(name: str) -> str:
    """A schema as JSON text.

    Raises:
        KeyError: there is none of this name.
    """
    if name not in schema_names():
        raise KeyError(name)
    return files(__name__).joinpath(name + END).read_text(encoding="utf-8")

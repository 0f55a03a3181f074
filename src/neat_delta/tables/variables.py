"""Variables of the environment in files of settings: only those that are meant for it, and never a secret."""

from __future__ import annotations

import os
import re
from typing import TYPE_CHECKING, TypeVar

from neat_delta.base.errors import InvalidInput

if TYPE_CHECKING:
    from pathlib import Path

T = TypeVar("T")
VARIABLE = re.compile(r"\$\$\{|\$\{(?P<name>[A-Za-z_][A-Za-z0-9_]*)\}")
# Variables that files may use: those that begin so, and those in a list of this name beside the file; but none whose
# name is that of a secret.
PREFIX, ALLOWED_VARIABLES = "NEAT_DELTA_VALUE_", "allowed-variables.txt"
SECRET_NAME = re.compile(r"(?i)PASSW|TOKEN|SECRET|CREDENTIAL|API_?KEY|ACCESS_?KEY|PRIVATE|(^|_)KEY(_|$)")


def with_variables(value: T, path: Path, lines: list[str]) -> T:
    """Settings with ``${NAME}`` in their texts as the environment has it; ``$${`` stands for itself.

    Only variables that are meant for this: others may hold secrets, which a file of somebody else could send anywhere.

    Raises:
        InvalidInput: there is no such variable, or it is none of these; with the line.
    """
    if isinstance(value, dict):
        return type(value)({key: with_variables(one, path, lines) for key, one in value.items()})
    if isinstance(value, list):
        return type(value)(with_variables(one, path, lines) for one in value)

    def text_of(match: re.Match[str]) -> str:
        name = match["name"]
        if name is None:
            return "${"
        line = next((number for number, text in enumerate(lines, start=1) if match[0] in text), None)
        if not _may_be_used(name, path):
            raise InvalidInput(
                f"the variable {name} may not be used in a file",
                file=path,
                line=line,
                hint=f"Call it {PREFIX}{name}, or write its name into {ALLOWED_VARIABLES} here; never a secret.",
            )
        if name not in os.environ:
            hint = f"Set it before this runs, or write $${{{name}}} for the text itself."
            raise InvalidInput(f"there is no variable {name} in the environment", file=path, line=line, hint=hint)
        return os.environ[name]

    return VARIABLE.sub(text_of, value) if isinstance(value, str) else value  # type: ignore[return-value]


def _may_be_used(name: str, path: Path) -> bool:
    """Whether a variable is meant for files: by its prefix, or by a list in the file's folder; never one of secrets."""
    if SECRET_NAME.search(name):
        return False
    if name.startswith(PREFIX):
        return True
    try:
        listed = (path.parent / ALLOWED_VARIABLES).read_text("utf-8")
    except (OSError, UnicodeDecodeError):
        return False
    return name in listed.split()

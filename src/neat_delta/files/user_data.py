"""Who uses this program, and where it keeps what it remembers for them: the history, and the kept exports."""

from __future__ import annotations

import os
import unicodedata
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterable

# The person at work, if not the one that the system names: a schedule often runs under a name of its own.
USER = "NEAT_DELTA_USER"
# The folder in which it lies, if not the user's own for the data of this program.
DATA = "NEAT_DELTA_DATA"
# What stands between several people where they are in one text.
AND = " + "


def data_folder() -> Path:
    """The folder for this user's data: as the environment says, else as the system has it."""
    if given := os.environ.get(DATA):
        return Path(given)
    import platformdirs

    return platformdirs.user_data_path("neat-delta", appauthor=False)


def make_folder(folder: Path) -> None:
    """Make a folder if it is not there; nobody else can read the user's own one.

    Raises:
        OSError: it cannot be made.
    """
    folder_of_user = data_folder()
    if DATA not in os.environ and folder.is_relative_to(folder_of_user):
        folder_of_user.parent.mkdir(parents=True, exist_ok=True)
        folder_of_user.mkdir(mode=0o700, exist_ok=True)
    folder.mkdir(parents=True, exist_ok=True)


def user_name() -> str | None:
    """Who is at work: as the environment says, else as the system knows the user; ``None`` where it knows nobody."""
    import getpass

    try:
        name = os.environ.get(USER) or getpass.getuser()
    except (ImportError, KeyError, OSError):
        return None
    return " ".join("".join(sign if sign.isprintable() else " " for sign in name).split()) or None


def folded_name(name: str) -> str:
    """A name as it is compared: the same in capitals or not, and however its accents are composed (Unicode NFKC)."""
    return " ".join(unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", name).casefold()).split())


def names_as_text(names: Iterable[str]) -> str | None:
    """Several people in one text; ``None`` if there is nobody."""
    return AND.join(names) or None

"""Where this program keeps what it remembers for a user: the history, and the kept exports."""

from __future__ import annotations

import os
from pathlib import Path

# The folder in which it lies, if not the user's own for the data of this program.
DATA = "NEAT_DELTA_DATA"


def data_folder() -> Path:
    """The folder for this user's data: as the environment says, else as the system has it."""
    if given := os.environ.get(DATA):
        return Path(given)
    import platformdirs

    return platformdirs.user_data_path("neat-delta", appauthor=False)

"""catalogue.toml read: the settings of a shop, with the places that they name from the folder of the file."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from neat_delta.locations import place_beside
from neat_delta.tables.config_loader import load_config
from neat_delta.tables.settings import Settings

if TYPE_CHECKING:
    from pathlib import Path


def load_settings(path: Path) -> Settings:
    """The settings of a catalogue.toml.

    Raises:
        InvalidInput: file not found, or it is no TOML.
        InvalidSettings: every mistake, with its line and what is allowed.
    """
    settings = load_config(Settings, path, "Draft one from an export.", "no-settings-file")
    signers = settings.send.signers
    send = replace(
        settings.send,
        signers_file=path.parent / signers if signers else None,
        to=place_beside(settings.send.to, path.parent) if settings.send.to else None,
    )
    return replace(settings, path=path, send=send)

"""catalogue.toml read: the settings of a shop, with the places that they name from the folder of the file."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput, InvalidOption, InvalidSettings
from neat_delta.locations import parse_place, place_beside
from neat_delta.tables.config_loader import load_config
from neat_delta.tables.settings import Settings

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.locations import Place


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
        place=_destination(settings.send.to, path),
    )
    return replace(settings, path=path, send=send)


def _destination(to: str | None, path: Path) -> Place | None:
    """Where updates go, as a settings file says; a folder is meant from that of the file.

    Raises:
        InvalidSettings: it is no place.
    """
    if to is None:
        return None
    try:
        return place_beside(parse_place(to), path.parent)
    except InvalidOption as error:
        raise InvalidSettings([InvalidInput(error.what, file=path, value=to, hint=error.hint)]) from error

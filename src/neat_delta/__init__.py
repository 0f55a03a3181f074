"""Neat Delta: from a live export and an edited file to the smallest proved update, and back again.

The names in ``__all__`` are the public Python API; they are loaded when they are first used.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

if TYPE_CHECKING:
    from neat_delta.api import (
        apply_formulas,
        check,
        combine,
        compare,
        compare_three_way,
        filter_keys,
        load_settings,
        read_table,
        recode,
        refresh,
        verify,
        write_update,
    )
    from neat_delta.changeset.changeset import ChangeSet, Overrides
    from neat_delta.diff.compare import CompareOptions
    from neat_delta.errors import (
        AmbiguousKey,
        DeliveryError,
        InvalidInput,
        InvalidOption,
        InvalidSettings,
        LiveMismatch,
        NeatDeltaError,
        NetworkError,
        NotApproved,
        ProofFailed,
        WriteError,
    )
    from neat_delta.reading.frames import table_from_frame
    from neat_delta.tables.read_options import ReadOptions
    from neat_delta.tables.settings import Settings, SupplierProfile
    from neat_delta.update import Receipt, WriteOptions

_ROOMS = {
    "neat_delta.api": (
        "apply_formulas",
        "check",
        "combine",
        "compare",
        "compare_three_way",
        "filter_keys",
        "load_settings",
        "read_table",
        "recode",
        "refresh",
        "verify",
        "write_update",
    ),
    "neat_delta.changeset.changeset": ("ChangeSet", "Overrides"),
    "neat_delta.diff.compare": ("CompareOptions",),
    "neat_delta.errors": (
        "AmbiguousKey",
        "DeliveryError",
        "InvalidInput",
        "InvalidOption",
        "InvalidSettings",
        "LiveMismatch",
        "NetworkError",
        "NeatDeltaError",
        "NotApproved",
        "ProofFailed",
        "WriteError",
    ),
    "neat_delta.reading.frames": ("table_from_frame",),
    "neat_delta.tables.read_options": ("ReadOptions",),
    "neat_delta.tables.settings": ("Settings", "SupplierProfile"),
    "neat_delta.update": ("Receipt", "WriteOptions"),
}
_ROOM_OF = {name: room for room, names in _ROOMS.items() for name in names}

__all__ = [
    "AmbiguousKey",
    "ChangeSet",
    "CompareOptions",
    "DeliveryError",
    "InvalidInput",
    "InvalidOption",
    "InvalidSettings",
    "LiveMismatch",
    "NeatDeltaError",
    "NetworkError",
    "NotApproved",
    "Overrides",
    "ProofFailed",
    "ReadOptions",
    "Receipt",
    "Settings",
    "SupplierProfile",
    "WriteError",
    "WriteOptions",
    "apply_formulas",
    "check",
    "combine",
    "compare",
    "compare_three_way",
    "filter_keys",
    "load_settings",
    "read_table",
    "recode",
    "refresh",
    "table_from_frame",
    "verify",
    "write_update",
]


def __getattr__(name: str) -> Any:
    """A public name, loaded from its room."""
    if name not in _ROOM_OF:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    import importlib

    value = getattr(importlib.import_module(_ROOM_OF[name]), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    """The public names."""
    return [*__all__, "__version__"]

"""Neat Delta: from a live export and an edited file to the smallest proved update, and back again.

The names in ``__all__`` are the public Python API, loaded when they are first used. Everything else may change.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from neat_delta.base.version import __version__ as __version__

if TYPE_CHECKING:
    from neat_delta.api.arguments import (
        AcceptArguments,
        AdjustArguments,
        CheckArguments,
        CombineArguments,
        CompareArguments,
        HistoryArguments,
        PreviewArguments,
        ReadArguments,
        RecodeArguments,
        RefreshArguments,
        SendArguments,
        SheetArguments,
        UndoArguments,
        VerifyArguments,
        WriteArguments,
    )
    from neat_delta.api.changes import accept, adjust, check, combine, compare, filter_keys, recode
    from neat_delta.api.files import load, refresh, send, sheet, undo, verify, write
    from neat_delta.api.tables import load_settings, read
    from neat_delta.api.views import history, inspect, preview
    from neat_delta.base.errors import (
        AmbiguousKey,
        DeliveryError,
        InvalidInput,
        InvalidOption,
        InvalidSettings,
        LiveMismatch,
        NeatDeltaError,
        NetworkError,
        NotApproved,
        NotInstalled,
        ProofFailed,
        WriteError,
    )
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings, SupplierProfile
    from neat_delta.update import Receipt

_ROOMS = {
    "neat_delta.api.arguments": (
        "AcceptArguments",
        "AdjustArguments",
        "CheckArguments",
        "CombineArguments",
        "CompareArguments",
        "HistoryArguments",
        "PreviewArguments",
        "ReadArguments",
        "RecodeArguments",
        "RefreshArguments",
        "SendArguments",
        "SheetArguments",
        "UndoArguments",
        "VerifyArguments",
        "WriteArguments",
    ),
    "neat_delta.api.changes": ("accept", "adjust", "check", "combine", "compare", "filter_keys", "recode"),
    "neat_delta.api.files": ("load", "refresh", "send", "sheet", "undo", "verify", "write"),
    "neat_delta.api.tables": ("load_settings", "read"),
    "neat_delta.api.views": ("history", "inspect", "preview"),
    "neat_delta.changeset.changeset": ("ChangeSet",),
    "neat_delta.base.errors": (
        "AmbiguousKey",
        "DeliveryError",
        "InvalidInput",
        "InvalidOption",
        "InvalidSettings",
        "LiveMismatch",
        "NetworkError",
        "NeatDeltaError",
        "NotApproved",
        "NotInstalled",
        "ProofFailed",
        "WriteError",
    ),
    "neat_delta.tables": ("Table",),
    "neat_delta.tables.settings": ("Settings", "SupplierProfile"),
    "neat_delta.update": ("Receipt",),
}
_ROOM_OF = {name: room for room, names in _ROOMS.items() for name in names}

__all__ = [
    "AcceptArguments",
    "AdjustArguments",
    "AmbiguousKey",
    "ChangeSet",
    "CheckArguments",
    "CombineArguments",
    "CompareArguments",
    "DeliveryError",
    "HistoryArguments",
    "InvalidInput",
    "InvalidOption",
    "InvalidSettings",
    "LiveMismatch",
    "NeatDeltaError",
    "NetworkError",
    "NotApproved",
    "NotInstalled",
    "PreviewArguments",
    "ProofFailed",
    "ReadArguments",
    "Receipt",
    "RecodeArguments",
    "RefreshArguments",
    "SendArguments",
    "Settings",
    "SheetArguments",
    "SupplierProfile",
    "Table",
    "UndoArguments",
    "VerifyArguments",
    "WriteArguments",
    "WriteError",
    "accept",
    "adjust",
    "check",
    "combine",
    "compare",
    "filter_keys",
    "history",
    "inspect",
    "load",
    "load_settings",
    "preview",
    "read",
    "recode",
    "refresh",
    "send",
    "sheet",
    "undo",
    "verify",
    "write",
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

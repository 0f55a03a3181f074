"""Keeping exports beside other work: nobody waits for it, and no command fails for it."""

from __future__ import annotations

import threading
from dataclasses import replace
from typing import TYPE_CHECKING

from neat_delta.export_store.store import keep_source
from neat_delta.locations.prefetch import lower_priority

if TYPE_CHECKING:
    from neat_delta.export_store.store import ExportStore
    from neat_delta.tables import Source

_at_work: list[threading.Thread] = []
_failures: list[str] = []


def keep_beside(store: ExportStore, source: Source) -> None:
    """Begin to keep the export from which a table was read, in a thread of its own."""
    if source.content is None or not store.settings.keep:
        return
    # (The program may have another current folder by the time the export is packed.)
    store = replace(store, folder=store.folder.absolute())
    # (A thread that is no daemon: Python waits for it at its end.)
    _at_work[:] = [other for other in _at_work if other.is_alive()]
    thread = threading.Thread(target=_keep, args=(store, source), name="keeping an export")
    _at_work.append(thread)
    thread.start()


def finish(seconds: float | None = None) -> list[str]:
    """Wait until everything is kept, or so long; returns the reasons where that failed, each once."""
    while _at_work:
        _at_work.pop().join(seconds)
    reasons = list(dict.fromkeys(_failures))
    _failures.clear()
    return reasons


def _keep(store: ExportStore, source: Source) -> None:
    lower_priority()
    reason = keep_source(store, source)
    if reason is not None:
        _failures.append(f"{source.name} was not kept in {store.folder}: {reason}")

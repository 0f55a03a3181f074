"""Live exports that were read, kept as they were, so that their change sets can be used whatever became of the file."""

from neat_delta.export_store.store import ExportStore, KeptExport, NotedSheet, store_of

__all__ = ["ExportStore", "KeptExport", "NotedSheet", "store_of"]

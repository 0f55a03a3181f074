"""Files out: packing into safe files, the shop's own form, the proof, the receipt."""

from neat_delta.update.write import Receipt, WrittenFile, write_update

__all__ = ["Receipt", "WrittenFile", "write_update"]

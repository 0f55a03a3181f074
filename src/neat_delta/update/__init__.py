"""Files out: packing into safe files, the shop's own format, the proof, the receipt."""

from neat_delta.update.receipt import Receipt, WrittenFile
from neat_delta.update.write import WriteOptions, write_update

__all__ = ["Receipt", "WriteOptions", "WrittenFile", "write_update"]

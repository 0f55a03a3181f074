"""Files out: packing into safe files, the shop's own format, the proof, the receipt."""

from neat_delta.update.options import WriteOptions
from neat_delta.update.receipt import Receipt, WrittenFile

__all__ = ["Receipt", "WriteOptions", "WrittenFile"]

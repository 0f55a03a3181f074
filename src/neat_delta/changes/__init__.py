"""The heart: working out a change set, keeping it as a file, turning it round."""

from neat_delta.changes.changeset import ChangeSet, FieldNote, Head, Stamp
from neat_delta.changes.compare import Comparison, compare
from neat_delta.changes.store import dump_changes, load_changes
from neat_delta.changes.undo import undone

__all__ = [
    "ChangeSet",
    "Comparison",
    "FieldNote",
    "Head",
    "Stamp",
    "compare",
    "dump_changes",
    "load_changes",
    "undone",
]

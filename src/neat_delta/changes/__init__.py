"""The heart: working out a change set, keeping it as a file, turning it round."""

from neat_delta.changes.changeset import ChangeSet, FieldNote, Head, Stamp
from neat_delta.changes.compare import Comparison, Options, compare, held_back
from neat_delta.changes.holdback import hold_back
from neat_delta.changes.measure import by_effect, by_field
from neat_delta.changes.store import dump_changes, head_as_dict, load_changes, save_changes
from neat_delta.changes.undo import undone

__all__ = [
    "ChangeSet",
    "Comparison",
    "FieldNote",
    "Head",
    "Options",
    "Stamp",
    "by_effect",
    "by_field",
    "compare",
    "dump_changes",
    "head_as_dict",
    "held_back",
    "hold_back",
    "load_changes",
    "save_changes",
    "undone",
]

"""The register of all problems that are found while a change set is made, and are no checks: each with its weight.

Checks are declared in ``checks/``; what both mean to people, with examples and remedies, is in the glossary.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from neat_delta.changeset.schemas import Level

STOP: Level = "error"
WARN: Level = "warning"
NOTE: Level = "note"


class Problem(str):
    """A problem: the name of its findings, and how much they weigh unless a finding says otherwise.

    Attributes:
        level: how much it weighs.
    """

    __slots__ = ("level",)

    level: Level


# By their names, in the order in which they are explained.
PROBLEMS: dict[str, Problem] = {}


def _problem(name: str, level: Level) -> Problem:
    made = Problem(name)
    made.level = level
    PROBLEMS[name] = made
    return made


# Which files are compared.
OLDER_VALUES = _problem("older values", WARN)
LOST_BASE = _problem("export not kept", WARN)
OTHER_EXPORT = _problem("made from another export", WARN)
UNUSED_COLUMN = _problem("column not used", WARN)
LAYOUT_CHANGED = _problem("file layout changed", WARN)
ROLE_WITHOUT_COLUMN = _problem("role without column", WARN)
# Rows of the edited file.
UNREADABLE_ROW = _problem("unreadable row", STOP)
NOT_DATA = _problem("not data", NOTE)
NO_SKU = _problem("no SKU", STOP)
DUPLICATE_SKU = _problem("duplicate SKU", STOP)
DUPLICATE_ROW = _problem("duplicate row", NOTE)
SEVERAL_ITEMS = _problem("SKU on several items", STOP)
DAMAGED_SKU = _problem("damaged SKU", STOP)
REPAIRED_SKU = _problem("repaired SKU", WARN)
TWO_ITEMS = _problem("two items", STOP)
UNKNOWN_SKU = _problem("unknown SKU", WARN)
# New SKUs.
LIKELY_SKU_CHANGE = _problem("likely SKU change", WARN)
SKU_IN_USE = _problem("SKU in use", STOP)
SKU_SPLIT = _problem("SKU split", STOP)
SKU_MERGED = _problem("SKU merged", STOP)
INVALID_SKU = _problem("invalid SKU", STOP)
SKU_TOO_LONG = _problem("SKU too long", STOP)
SAME_SKU = _problem("same SKU", NOTE)
# Rows of the live export.
UNREADABLE_SHOP_ROW = _problem("unreadable shop row", STOP)
SHOP_ITEM_WITHOUT_SKU = _problem("shop item without SKU", STOP)
DUPLICATE_SHOP_SKU = _problem("duplicate shop SKU", STOP)
# Values.
UNREADABLE_CELL = _problem("unreadable cell", STOP)
DOUBTFUL_VALUE = _problem("doubtful value", STOP)
RESTORED_VALUE = _problem("restored value", WARN)
NO_DATA = _problem("no data", NOTE)
AT_LEAST_SO_MANY = _problem("at least", NOTE)
COMPUTED = _problem("computed", NOTE)
NO_RESULT = _problem("formula", STOP)
BELOW_ZERO = _problem("below zero", WARN)
# Items that come and go.
NEW_ITEM = _problem("new item", NOTE)
REMOVAL = _problem("removal", STOP)
# What two have changed.
CLASH = _problem("conflict", STOP)
GONE_SINCE = _problem("deleted since", STOP)
# What is left as it is.
NOT_PUT_BACK = _problem("not put back", STOP)
LEFT_OUT = _problem("not accepted", NOTE)
REMARK = _problem("comment", NOTE)

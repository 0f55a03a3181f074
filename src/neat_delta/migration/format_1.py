"""What format 1 called otherwise: members of change sets, values in them, settings."""

from __future__ import annotations

# Members of the head's files and fields.
FILE_MEMBERS = {"charset": "encoding", "mark": "decimal_separator"}
FIELD_MEMBERS = {"kind": "type", "mark": "decimal_separator"}
HEAD_MEMBERS = {"allowed": "overrides", "left_out": "exclusions"}
OVERRIDES = {"let": "ignore"}
ITEM_MEMBERS = {"do": "action", "state": "row_state", "to": "new_key"}
FINDING_MEMBERS = {"check": "code", "say": "message"}

TYPES = {
    "flag": "yes/no",
    "gtin": "barcode",
    "picture": "image",
    "share": "percent",
    "money": "price",
    "count": "quantity",
    "itemref": "item link",
    "path": "category",
}
STATES = {
    "same": "unchanged",
    "repeated": "duplicate",
    "refused": "rejected",
    "gone": "missing",
    "outside": "excluded",
}
LEVELS = {"stop": "error", "warn": "warning"}
CHECKS = {
    "another spelling": "new spelling",
    "character": "unsupported character",
    "clash": "conflict",
    "code on several items": "SKU on several items",
    "code too long": "SKU too long",
    "condition": "validation rule",
    "cost left behind": "cost unchanged",
    "cut alike": "truncated",
    "damaged code": "damaged SKU",
    "dear sale": "sale price too high",
    "dragged series": "fill series",
    "gone since": "deleted since",
    "invalid code": "invalid SKU",
    "large move": "large change",
    "likely code change": "likely SKU change",
    "list changed": "file layout changed",
    "live code repeated": "duplicate shop SKU",
    "live item without code": "shop item without SKU",
    "marker": "import marker",
    "multiplied alike": "column multiplied",
    "no code": "no SKU",
    "no such choice": "unknown value",
    "one into two": "SKU split",
    "other export": "made from another export",
    "padded barcode": "extra zeros",
    "picture missing": "image missing",
    "picture name": "image name",
    "points nowhere": "broken link",
    "repeated code": "duplicate SKU",
    "repeated row": "duplicate row",
    "replaced": "search and replace",
    "rescued code": "repaired SKU",
    "rounded alike": "column rounded",
    "rule": "formula",
    "sale ends early": "sale dates",
    "share slip": "percent slip",
    "shifted": "shifted cells",
    "sorted alone": "column out of step",
    "spelt twice": "spelling variant",
    "tenfold": "decimal slip",
    "thin margin": "low margin",
    "two into one": "SKU merged",
    "unknown code": "unknown SKU",
    "unreadable live row": "unreadable shop row",
    "untold character": "unknown encoding",
}

# Settings and values by the place they were at; "*" is any name.
SETTINGS = {
    (): {"lists": "profiles"},
    ("export",): {"sheet": "worksheet"},
    ("fields", "*"): {"kind": "type"},
    ("lists", "*"): {
        "sheet": "worksheet",
        "leave_out": "skip",
        "assume": "constants",
        "remember": "codes",
        "seen": "columns_last_time",
    },
    ("checks",): {"largest_move": "largest_change", "off": "ignore"},
    ("checks", "conditions"): {"say": "message"},
}
RUN_SETTINGS = {
    (): {
        "list": "profile",
        "journal": "history",
        "rescue_codes": "repair_skus",
        "form": "format",
        "settle": "verify",
    },
    ("limits",): {"held_back": "errors"},
}
VALUES = {
    ("fields", "*", "kind"): TYPES,
    ("checks", "off"): CHECKS,
    ("checks", "conditions", "level"): LEVELS,
}
# Fields that [money] named, and [roles] does today.
ROLES = ("price", "cost", "sale_price")


def setting_names() -> set[str]:
    """What settings were called that have another name today."""
    tables = (*SETTINGS.values(), *RUN_SETTINGS.values(), {"include": "", "at_most": ""})
    return {name for names in tables for name in names}

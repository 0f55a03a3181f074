"""Code changes: which are possible, in which stages no two items ever share a code, and what follows them."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from itertools import count
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import with_items
from neat_delta.changeset.findings import findings_frame, no_findings
from neat_delta.changeset.head import Identity
from neat_delta.changeset.problems import (
    INVALID_SKU,
    NOTE,
    SAME_SKU,
    SEVERAL_ITEMS,
    SKU_IN_USE,
    SKU_MERGED,
    SKU_SPLIT,
    SKU_TOO_LONG,
    STOP,
    UNKNOWN_SKU,
    Problem,
)
from neat_delta.changeset.schemas import RECODE
from neat_delta.matching import KEY_SEPARATOR

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.matching.context import Context

# Under such names shops keep numbers of their own for items.
ID_NAME = re.compile(r"(^|_)(id|uuid|guid)$")
# A chain of codes, each of which takes the place of the next, goes step by step; a longer one aside and back.
LONGEST_CHAIN = 3


@dataclass(frozen=True)
class RekeyPlan:
    """Code changes that can be made (old code to new), and what keeps others out."""

    to: dict[str, str]
    findings: pl.DataFrame


def validate(asked: pl.DataFrame, context: Context) -> RekeyPlan:
    """Which of the code changes asked for (frame of old, new, line) can be made, all at once.

    What cannot: unknown old codes, codes in use that nobody leaves, two into one, one into two, blank and invalid ones.
    A code is left only if its own change can be made.
    """
    key = context.key
    shop_keys = key.values(context.live)
    distinct, multiple = set(shop_keys), set(shop_keys.filter(shop_keys.is_duplicated()))
    length = context.configured(key.fields[0]).length if len(key.fields) == 1 else None
    rows = asked.unique(["old", "new"], keep="first", maintain_order=True)
    old_twice, new_twice = (set(rows[side].filter(rows[side].is_duplicated())) for side in ("old", "new"))
    wrong: list[tuple[Problem, str, str | None, int | None, str, str]] = []
    to: dict[str, tuple[str, int | None]] = {}
    for old, new, line in rows.select("old", "new", "line").iter_rows():
        fault = _fault(old, new, distinct, multiple, old_twice, new_twice, length)
        if old == new and old in distinct:
            wrong.append((SAME_SKU, NOTE, old, line, new, "old and new SKU are the same; nothing to do"))
        elif fault:
            wrong.append(
                (fault[0], STOP, old if old in distinct else None, line, new if old in distinct else old, fault[1])
            )
        else:
            to[old] = (new, line)
    # A code in use is free only if its item gets another one, which may fail in turn.
    while taken := [old for old, (new, _) in to.items() if new in distinct and new not in to]:
        for old in taken:
            new, line = to.pop(old)
            message = f"{new} is the SKU of another item. Change that one first"
            wrong.append((SKU_IN_USE, STOP, old, line, new, message))
    frames = [
        findings_frame(problem, level, key=code, line=line, field=key.fields[0], value=value, message=say)
        for problem, level, code, line, value, say in wrong
    ]
    return RekeyPlan({old: new for old, (new, _) in to.items()}, pl.concat([no_findings(), *frames]))


def _fault(
    old: str,
    new: str,
    shop_keys: set[str],
    several: set[str],
    old_twice: set[str],
    new_twice: set[str],
    length: int | None,
) -> tuple[Problem, str] | None:
    """Why one code change cannot be made, as far as it shows by itself: problem, sentence; ``None`` if it does not."""
    parts = list(zip(new.split(KEY_SEPARATOR), old.split(KEY_SEPARATOR), strict=False))
    faults = {
        UNKNOWN_SKU: (old not in shop_keys, "the old SKU is not in the shop. Correct it, or remove the row"),
        SEVERAL_ITEMS: (
            old in several,
            "several shop items have the old SKU",
        ),
        SKU_SPLIT: (old in old_twice, "one old SKU has two new SKUs. Keep one row"),
        SKU_MERGED: (new in new_twice, "two items would get the same new SKU. Change one"),
        INVALID_SKU: (
            # (Of a key of several fields one may be blank, if it was so.)
            any((not part and was != part) or part != part.strip() for part, was in parts),
            "the new SKU is blank, or has spaces around it. Correct it",
        ),
        SKU_TOO_LONG: (
            length is not None and len(new) > length,
            f"max. {length} characters. Choose a shorter SKU",
        ),
    }
    return next(((problem, message) for problem, (holds, message) in faults.items() if holds), None)


def schedule(to: Mapping[str, str], taken: Iterable[str]) -> list[dict[str, str]]:
    """Code changes in stages (old code to new), in none of which a new code is in use when the stage begins.

    ``taken`` are all codes in use. Chains go from their free end, at most LONGEST_CHAIN stages; what is left, rings and
    longer chains, goes aside to codes that nobody has, and from there to its place.
    """
    left, in_use = dict(to), set(taken)
    rounds: list[dict[str, str]] = []
    while len(rounds) < LONGEST_CHAIN:
        free = {old: new for old, new in left.items() if new not in in_use}
        if not free:
            break
        rounds.append(free)
        in_use = (in_use - free.keys()) | set(free.values())
        left = {old: new for old, new in left.items() if old not in free}
    if not left:
        return rounds
    spare = _spare_codes(in_use | set(to.values()))
    aside = {old: next(spare) for old in left}
    return [*rounds, aside, {aside[old]: new for old, new in left.items()}]


def _spare_codes(used: set[str]) -> Iterator[str]:
    """Codes that no item has or gets."""
    return iter(code for code in (f"tmp-{number:04}" for number in count(1)) if code not in used)


def apply_rekeys(changes: ChangeSet, context: Context, rows: pl.DataFrame, new_keys: Mapping[str, str]) -> ChangeSet:
    """The change set with items that get other keys.

    Args:
        changes: the change set so far.
        context: the live export, its settings and its key.
        rows: the rows of these items (key, line, name, row_state).
        new_keys: the new key by the one that the item has.
    """
    if not new_keys:
        return changes
    keys = pl.DataFrame({"key": list(new_keys), "new_key": list(new_keys.values())})
    # An item that changes anyway keeps its row, name and place.
    recoded = changes.items.drop("new_key").join(keys, on="key", how="inner", maintain_order="left")
    more = rows.join(changes.items, on="key", how="anti", maintain_order="left").join(keys, on="key")
    items = pl.concat([recoded, more], how="diagonal").with_columns(action=pl.lit(RECODE))
    # A row that had no item until now is no other row any more.
    other_rows = dict(changes.head.other_rows)
    for state, number in more["row_state"].drop_nulls().value_counts().iter_rows():
        other_rows[state] = other_rows.get(state, 0) - number
    head = replace(changes.head, identity=_identity(changes, context, new_keys), other_rows=other_rows)
    order = context.key.values(context.live)
    return with_items(changes, items, changes.cells.clear(), order, head)


def _identity(changes: ChangeSet, context: Context, new_keys: Mapping[str, str]) -> Identity | None:
    """By what rekeyed items are known: as configured, else by the first field of codes that no two items share."""
    live, key = context.live, context.key
    codes, configured = key.values(live), context.settings.identity
    fields = [configured] if configured else [n for n in live.names if n not in (*key.fields, *changes.head.fields)]
    for name in fields:
        if name not in live.names or not (configured or _names_items(context, name)):
            continue
        values = live.cells([name])[name]
        if configured or (not values.is_duplicated().any() and not (values.str.strip_chars() == "").any()):
            rows = codes.is_in(list(new_keys)).arg_true()
            identity = zip(codes.gather(rows), values.gather(rows), strict=True)
            return Identity(name, {code: value for code, value in identity if value.strip()})
    return None


def _names_items(context: Context, name: str) -> bool:
    """Whether a field is one of codes, which nobody changes as a price or a stock is changed."""
    return context.type_of(name).name in ("code", "barcode") or bool(ID_NAME.search(name))

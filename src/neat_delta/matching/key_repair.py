"""Repair: a row whose key a spreadsheet program has damaged goes to the one item that it can be."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from itertools import product
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching.rekey_detection import ALIKE, FEWEST_FIELDS
from neat_delta.matching.row_matching import rows_unlike_live
from neat_delta.matching.schemas import Candidates
from neat_delta.reading.frame_rows import OverlaidRows
from neat_delta.replay import explain, read_numbers
from neat_delta.replay.dates import LIKE_A_DATE, LIKE_A_TIME, code_numbers, possible_codes
from neat_delta.replay.text_effects import SHOWN_DATE, SHOWN_TIME
from neat_delta.tables.formula_text import ESCAPED_FORMULA, unescaped_unless

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from neat_delta.matching.key import Key
    from neat_delta.matching.row_matching import RowMatches
    from neat_delta.tables import Table

POWER = re.compile(r"([0-9])[.,]?([0-9]*)[eE]\+?([0-9]+)")
# A row is the item's if so large a share of its other cells says so. If so many rows of the file show one effect, of
# which so large a share are their item's beyond doubt, then it has happened to the whole column of keys.
AGREEING, MANY, NEARLY_ALL = 0.5, 8, 0.8
# A key that a program writes otherwise: with zeros in front, a sign, decimals, a power of ten.
NOT_SHORTEST = r"^\s*[+0]|[.,]|^[0-9]+[eE]"
# In a row with so few other cells all of them may have been edited.
FEW_FIELDS = 2


def likely_damaged(live: Table, edited: Table, key: Key, matches: RowMatches) -> pl.DataFrame:
    """New rows and the missing items whose keys they may have meant, one or several (frame of edited, live)."""
    if matches.new.is_empty() or matches.missing.is_empty():
        return Candidates.none()
    rows = pl.DataFrame({"edited": matches.new, "code": key.values(edited, matches.new)})
    items = pl.DataFrame({"live": matches.missing, "code": key.values(live, matches.missing)})
    return _candidates(rows, items)


def repairable_keys(
    live: Table, edited: Table, key: Key, fields: Sequence[str], *, in_doubt: bool = False
) -> pl.DataFrame:
    """Rows whose damaged key can be that of one item only, which no other row can be (frame of edited, live).

    Looked at are rows whose key no item has, and items that no row names. Keys that differ in what a spreadsheet
    program loses are compared with all live keys, not only with those left. Where several items are possible the rest
    of the row may decide, by these ``fields``. Unless also rows ``in_doubt`` are wanted, most other cells of the row
    must be the item's, or the same effect must have happened to nearly all keys.
    """
    if _same_keys_in_place(live, edited, key):
        return Candidates.none()
    codes = pl.DataFrame({"code": key.values(live)}).with_row_index("live")
    sheet = pl.DataFrame({"code": key.values(edited)}).with_row_index("edited")
    rows = sheet.join(codes, on="code", how="anti", maintain_order="left")
    if rows.is_empty():
        return Candidates.none()
    unnamed = codes.join(sheet, on="code", how="anti", maintain_order="left").unique("code", keep="none")
    pairs = pl.concat([_candidates(rows, codes, powers_of=unnamed)]).unique(maintain_order=True)
    by_rest = _alike(live, edited, pairs.filter(pl.col("edited").is_duplicated()), fields, apart="live")
    alone = pairs.filter(pl.col("edited").is_unique())
    by_rest_too = _alike(live, edited, alone.filter(pl.col("live").is_duplicated()), fields, apart="edited")
    repaired = pl.concat([alone.filter(pl.col("live").is_unique()), by_rest, by_rest_too])
    repaired = repaired.join(unnamed, on="live", how="semi")
    repaired = repaired.filter(pl.col("live").is_unique() & pl.col("edited").is_unique()).sort("edited")
    return (
        repaired if in_doubt or repaired.is_empty() else repaired.filter(_certain(live, edited, key, repaired, fields))
    )


def _same_keys_in_place(live: Table, edited: Table, key: Key) -> bool:
    """Whether each row has the key of the live row in its place; a quick look at the lines that differ."""
    if len(live) != len(edited):
        return False
    rows = rows_unlike_live(live, edited)
    return key.values(live, rows).equals(key.values(edited, rows))


def taken_for_another(live: Table, edited: Table, key: Key, matches: RowMatches, fields: Sequence[str]) -> pl.DataFrame:
    """Rows with the key of one item and the cells of another, whose key a program writes just so (edited, live, meant).

    "000417" comes back as "417", which may be the key of an item as well.
    """
    missing = pl.DataFrame({"meant": matches.missing, "code": key.values(live, matches.missing)})
    missing = missing.filter(pl.col("code").str.contains(NOT_SHORTEST))
    mistaken = pl.DataFrame(schema=Candidates.dtypes() | {"meant": pl.UInt32})
    if missing.is_empty() or not fields:
        return mistaken
    pairs = matches.pairs.with_columns(code=key.values(live, matches.pairs["live"]))
    for read in ".,":
        values = missing.select("meant", code=read_numbers(missing["code"], read)).drop_nulls()
        mistaken = pl.concat(
            [mistaken, pairs.join(values, on="code", maintain_order="left").select("edited", "live", "meant")]
        )
    if mistaken.is_empty():
        return mistaken
    agreement, _ = _agreement(live, edited, mistaken.select("edited", "live"), fields)
    others, _ = _agreement(live, edited, mistaken.select("edited", live="meant"), fields)
    return mistaken.filter(others > agreement).unique("edited", keep="first", maintain_order=True)


def _certain(live: Table, edited: Table, key: Key, pairs: pl.DataFrame, fields: Sequence[str]) -> pl.Series:
    """Which pairs are beyond doubt: by their own row, or because the same has happened to nearly all keys."""
    agreeing, compared = _agreement(live, edited, pairs, fields)
    agrees = (compared > 0) & (agreeing >= AGREEING * compared)
    was, now = key.values(live, pairs["live"]), key.values(edited, pairs["edited"])
    effects = pl.DataFrame({"what": explain(pl.DataFrame({"was": was, "now": now})), "own": agrees})
    often, sure = pl.len().over("what") >= MANY, pl.col("own").mean().over("what") >= NEARLY_ALL
    whole = effects.select(often & sure).to_series()
    return agrees | (whole & (compared <= FEW_FIELDS))


def _agreement(live: Table, edited: Table, pairs: pl.DataFrame, fields: Sequence[str]) -> tuple[pl.Series, pl.Series]:
    """In how many filled cells each row is like the item, and how many there are."""
    ours, theirs = live.cells(fields, pairs["live"]), edited.cells(fields, pairs["edited"])
    agreeing = compared = pl.zeros(len(pairs), dtype=pl.UInt32, eager=True)
    for name in fields:
        filled = (theirs[name].str.strip_chars() != "") | (ours[name].str.strip_chars() != "")
        alike = ours[name] == theirs[name]
        differing = (filled & ~alike).arg_true()
        if len(differing):
            frame = pl.DataFrame({"was": ours[name].gather(differing), "now": theirs[name].gather(differing)})
            alike = alike.scatter(differing, explain(frame).is_not_null() | _same_number(frame))
        compared = compared + filled.cast(pl.UInt32)
        agreeing = agreeing + (filled & alike).cast(pl.UInt32)
    return agreeing, compared


def _same_number(cells: pl.DataFrame) -> pl.Series:
    same = pl.repeat(value=False, n=len(cells), eager=True)
    values = {(side, sign): read_numbers(cells[side], sign) for side in ("was", "now") for sign in ".,"}
    for read, saved in product(".,", ".,"):
        same |= (values["was", read] == values["now", saved]).fill_null(value=False)
    return same


def with_keys_of(live: Table, edited: Table, key: Key, pairs: pl.DataFrame) -> Table:
    """The sheet with the codes of live items in some of its rows (frame of edited, live)."""
    shop_codes, codes = live.cells(key.fields, pairs["live"]), edited.cells(key.fields)
    repaired = {name: codes[name].clone().scatter(pairs["edited"], shop_codes[name]) for name in key.fields}
    return replace(edited, rows=OverlaidRows(edited.rows, repaired))


def with_unescaped_keys(live: Table, edited: Table, key: Key) -> Table:
    """The sheet with its codes freed of the apostrophe that keeps some of them from being run as a formula."""
    # (A row that is just the live one has its codes.)
    some = edited.cells(key.fields, rows_unlike_live(live, edited))
    if not any(some[name].str.contains(ESCAPED_FORMULA).any() for name in key.fields):
        return edited
    codes, shop_codes = edited.cells(key.fields), live.cells(key.fields)
    plain = [unescaped_unless(codes[name], shop_codes[name]) for name in key.fields]
    if all(column is codes[column.name] or column.equals(codes[column.name]) for column in plain):
        return edited
    return replace(edited, rows=OverlaidRows(edited.rows, {column.name: column for column in plain}))


def _candidates(rows: pl.DataFrame, items: pl.DataFrame, powers_of: pl.DataFrame | None = None) -> pl.DataFrame:
    """Rows (edited, code) and items (live, code) of which the one key may have become the other (edited, live)."""
    candidates = [_but_for_losses(rows, items), _powers(rows, items if powers_of is None else powers_of)]
    candidates += [
        _same_values(rows, items),
        _dates(rows, items),
        *(_explained(rows, items, skeleton) for skeleton in SKELETONS),
    ]
    return pl.concat(candidates).unique(maintain_order=True)


def _same_values(rows: pl.DataFrame, items: pl.DataFrame) -> pl.DataFrame:
    """Keys that are the same number to a spreadsheet program, read and saved with either decimal separator."""
    edited = [rows.select("edited", value=read_numbers(rows["code"], sign)).drop_nulls() for sign in ".,"]
    if all(read.is_empty() for read in edited):  # (there may be many items, and to read them all takes long)
        return Candidates.none()
    live = [items.select("live", value=read_numbers(items["code"], sign)).drop_nulls() for sign in ".,"]
    pairs = [saved.join(read, on="value", maintain_order="left_right") for read, saved in product(live, edited)]
    return pl.concat(pairs).select(*Candidates.columns)


@dataclass(frozen=True)
class Skeleton:
    """What stays of a key when an effect changes it; and which keys of the file and of the shop that can be."""

    of: Callable[[pl.Expr], pl.Expr]
    edited: str
    live: str


def _explained(rows: pl.DataFrame, items: pl.DataFrame, skeleton: Skeleton) -> pl.DataFrame:
    """Keys with the same skeleton, of which an effect explains the one by the other (edited, live)."""
    code, left = pl.col("code"), skeleton.of(pl.col("code")).alias("left")
    live = items.filter(code.str.contains(skeleton.live)).with_columns(left)
    edited = rows.filter(code.str.contains(skeleton.edited)).with_columns(left) if len(live) else rows.clear()
    if edited.is_empty():
        return Candidates.none()
    both = edited.join(live, on="left", suffix="_live", maintain_order="left_right")
    return both.filter(explain(both.select(was="code_live", now="code")).is_not_null()).select(*Candidates.columns)


def _dates(rows: pl.DataFrame, items: pl.DataFrame) -> pl.DataFrame:
    """Rows whose code became a date or a time, each with the items of whose code it can be that (edited, live)."""
    shown = rows.filter(pl.col("code").str.contains(f"{SHOWN_DATE}|{SHOWN_TIME}"))
    may_be = items.filter(pl.col("code").str.contains(f"{LIKE_A_DATE}|{LIKE_A_TIME}")) if len(shown) else items.clear()
    if may_be.is_empty():
        return Candidates.none()
    numbers = pl.List(pl.Int64)
    live = may_be.with_columns(numbers=pl.Series([code_numbers(code) for code in may_be["code"]], dtype=numbers))
    sets = pl.Series([sorted(possible_codes(code)) for code in shown["code"]], dtype=pl.List(numbers))
    edited = shown.with_columns(numbers=sets).explode("numbers")
    as_text = pl.col("numbers").cast(pl.List(pl.String)).list.join("-")
    both = edited.with_columns(as_text).join(
        live.with_columns(as_text), on="numbers", suffix="_live", maintain_order="left_right"
    )
    both = both.filter(explain(both.select(was="code_live", now="code")).is_not_null())
    return both.select(*Candidates.columns).unique(maintain_order=True)


def _plain_letters(code: pl.Expr) -> pl.Expr:
    """The ASCII letters and digits of a text."""
    return code.str.replace_all(r"[^A-Za-z0-9]", "").str.to_lowercase()


def _first_digits(code: pl.Expr) -> pl.Expr:
    """The digits that a program certainly keeps of a long number, and its length."""
    return code.str.head(13) + "-" + code.str.len_chars().cast(pl.String)


SKELETONS = (
    Skeleton(_plain_letters, ".", r"[^\x00-\x7f]"),
    Skeleton(_first_digits, "^[0-9]{16,}$", "^[0-9]{16,}$"),
)


def _bare(code: pl.Expr) -> pl.Expr:
    """What is left of a code when nothing counts that gets lost: spaces, letter case, zeros in front."""
    return code.str.replace_all(r"[\s\u00a0]", "").str.to_lowercase().str.strip_chars_start("0")


def _but_for_losses(rows: pl.DataFrame, items: pl.DataFrame) -> pl.DataFrame:
    """Rows (edited, code) and items (live, code) whose codes are alike but for what gets lost (edited, live)."""
    edited = rows.select("edited", bare=_bare(pl.col("code"))).filter(pl.col("bare") != "")
    live = items.select("live", bare=_bare(pl.col("code")))
    return edited.join(live, on="bare", maintain_order="left_right").select(*Candidates.columns)


def _powers(rows: pl.DataFrame, items: pl.DataFrame) -> pl.DataFrame:
    """Rows whose code became a power of ten, each with the items of that length that begin so (edited, live)."""
    pairs: list[pl.DataFrame] = [Candidates.none()]
    shown = rows.filter(pl.col("code").str.contains(r"^[0-9][.,]?[0-9]*[eE]\+?[0-9]+$"))
    for (code,), part in shown.partition_by("code", as_dict=True, maintain_order=True).items():
        whole, fraction, power = POWER.fullmatch(str(code)).groups()  # type: ignore[union-attr]
        # The last digit shown may be rounded up, so that it tells nothing.
        digits = (whole + fraction)[:-1] or whole
        further = int(power) + 1 - len(digits) if len(power) < 3 else 0
        if further <= 0:  # a code that was typed so: what is shown of a long number has fewer digits than the number
            continue
        like = items.filter(pl.col("code").str.contains(rf"^{digits}[0-9]{{{further}}}$"))
        pairs.append(part.select("edited").join(like.select("live"), how="cross"))
    return pl.concat(pairs)


def _alike(live: Table, edited: Table, pairs: pl.DataFrame, fields: Sequence[str], *, apart: str) -> pl.DataFrame:
    """Of several items that a row can be, or several rows that can be an item, the one that agrees (edited, live).

    ``non_data_rows`` is the side of which there are several. What counts are the fields by which these can be told, in
    most of which the one must agree, and none of the others.
    """
    within = "edited" if apart == "live" else "live"
    if pairs.is_empty() or not fields:
        return pairs.clear()
    cells = {"live": live.cells(fields, pairs["live"]), "edited": edited.cells(fields, pairs["edited"])}
    telling = cells[apart].select(pl.col(fields).n_unique().over(pairs[within]) > 1).get_columns()
    agree = [column & (cells["live"][column.name] == cells["edited"][column.name]) for column in telling]
    counted = pairs.with_columns(
        of=pl.sum_horizontal(column.cast(pl.UInt32) for column in telling),
        alike=pl.sum_horizontal(same.cast(pl.UInt32) for same in agree),
    )
    best = counted.filter((pl.col("alike") >= FEWEST_FIELDS) & (pl.col("alike") >= ALIKE * pl.col("of")))
    return best.filter(pl.col(within).is_unique()).select(*Candidates.columns)

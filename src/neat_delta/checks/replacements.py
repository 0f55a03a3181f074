"""A search and replace that went too far: into other fields, into parts of words, into digits of numbers."""

from __future__ import annotations

import re
from collections import Counter
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import no_findings
from neat_delta.checks.check import Check, Override, concat_findings
from neat_delta.tables.field_types import type_named

if TYPE_CHECKING:
    from collections.abc import Iterator

    from neat_delta.checks.check import CheckContext

WAS, NOW = pl.col("was"), pl.col("now")
FEWEST_REPLACED, MOST_SWAPS = 5, 10
MOST_TEXTS = 50_000
# Digits: of so many different values, which make up so much of what changed, and of the values that have the digits.
DIFFERENT, SHARE, SAMPLE = 3, 0.9, 500
LETTER = r"[\p{L}\p{N}]"


def replaced(context: CheckContext) -> pl.DataFrame:
    """A word or number was replaced where it was not meant: in other fields, in parts of words, in digits."""
    texts = pl.concat([context.outgoing_cells.clear(), *context.typed.values()]).drop_nulls(["was", "now"])
    read = [
        name
        for name, note in context.changes.head.fields.items()
        if type_named(note.type).numeric or note.type == "date"
    ]
    numbers = texts.filter(pl.col("field").is_in(read))
    texts = texts.filter(~pl.col("field").is_in(read))
    return concat_findings([*_words(context, texts), *_digits(context, numbers)])


def _words(context: CheckContext, texts: pl.DataFrame) -> Iterator[pl.DataFrame]:
    if not FEWEST_REPLACED <= len(texts) <= MOST_TEXTS:
        return
    swaps: Counter[tuple[str, str]] = Counter()
    for was, now in texts.select("was", "now").iter_rows():
        old, new = _swap(was, now)
        swaps.update({(old.lower(), new), _word_swap(was, now, old, new)})
    often = [(swap, n) for swap, n in swaps.items() if n >= FEWEST_REPLACED and swap[0].strip()]
    named = no_findings()
    for (old, new), _ in sorted(often, key=lambda one: (-one[1], -len(one[0][0])))[:MOST_SWAPS]:
        rest = texts.join(named, on=["key", "field"], how="anti", maintain_order="left")
        findings = _beyond(context, rest, old, new)
        named = pl.concat([named, findings])
        yield findings


def _beyond(context: CheckContext, texts: pl.DataFrame, old: str, new: str) -> pl.DataFrame:
    """Texts in which a word was replaced, but for whole words of the field where it was meant."""
    if old == new.lower():  # (which writes it otherwise, and replaces nothing)
        return no_findings()
    pattern, safe = f"(?i){re.escape(old)}", new.replace("$", "$$")
    same = texts.filter(
        (WAS.str.replace_all(pattern, safe) == NOW) | (WAS.str.replace_all(old, new, literal=True) == NOW)
    )
    same = same.filter(WAS.str.to_lowercase() != old)
    if same.select((NOW.str.starts_with(WAS) | NOW.str.ends_with(WAS)).all()).item():
        return no_findings()  # (words were put in front of texts or behind them, whatever they begin or end with)
    counts = same["field"].value_counts().rows()
    if not counts:
        return no_findings()

    def likeliest(counted: tuple[str, int]) -> tuple[bool, int, int]:
        name, count = counted
        return context.type_of(name) == "text", count, -context.live.names.index(name)

    meant = max(counts, key=likeliest)[0]
    others = same.filter(pl.col("field") != meant)
    message = f"{old!r} became {new!r} here as in {meant}: did search and replace go too far?"
    findings = [context.findings_for(others, "search and replace", "warning", message)]
    part = same.filter(
        (pl.col("field") == meant) & WAS.str.contains(f"(?i)(?:{LETTER}{re.escape(old)}|{re.escape(old)}{LETTER})")
    )
    # Of a word alone nobody knows how much of it was meant, unless its capital is gone.
    several = (
        part.select(
            WAS.str.extract(f"(?i)([\\p{{L}}\\p{{N}}]*{re.escape(old)}[\\p{{L}}\\p{{N}}]*)")
            .str.to_lowercase()
            .n_unique()
        ).item()
        > 1
    )
    whole = len(part) < len(same) - len(others)
    if re.match(r"\w", old) and (several or whole or _lost_capitals(part, old, new)):
        message = f"{old!r} became {new!r} inside a word: did search and replace go too far?"
        is_word = any(sign.isalpha() for sign in old)
        level = "error" if is_word and (several or _lost_capitals(part, old, new)) else "warning"
        findings.append(context.findings_for(part, "search and replace", level, message))
    return concat_findings(findings)


def _lost_capitals(part: pl.DataFrame, old: str, new: str) -> bool:
    """Whether capitals became small letters, as by a search that does not heed them."""
    capital = WAS.str.contains(old.capitalize(), literal=True) & NOW.str.contains(new, literal=True)
    return new[:1].islower() and bool(part.select(capital.any()).item())


def _digits(context: CheckContext, numbers: pl.DataFrame) -> Iterator[pl.DataFrame]:
    """Numbers and dates in which digits were replaced wherever they stood."""
    swaps: set[tuple[str, str]] = set()
    parts = sorted(numbers.partition_by("field", maintain_order=True), key=len, reverse=True)
    for part in parts:
        name = part["field"][0]
        counts: Counter[tuple[str, str]] = Counter()
        for was, now in part.head(SAMPLE).select("was", "now").iter_rows():
            counts.update(_digit_swaps(was, now))
        live = context.live.cells([str(name)]).to_series()
        # What was replaced in one column was so in others, be it a few cells of them.
        for old, new in [*swaps, *(swap for swap, _ in counts.most_common(MOST_SWAPS))]:
            hit = part.filter(WAS.str.replace_all(old, new, literal=True) == NOW)
            telling = len(hit) >= FEWEST_REPLACED and hit["was"].n_unique() >= DIFFERENT and _is_anywhere(hit, old)
            if not ((old, new) in swaps or telling) or len(hit) < max(1, SHARE * len(part)):
                continue
            if len(hit) >= SHARE * int(live.str.contains(old, literal=True).sum()):
                swaps.add((old, new))
                message = f"{old} became {new} wherever it stood: did search and replace go too far?"
                yield context.findings_for(hit, "search and replace", "error", message)
                break


def _is_anywhere(cells: pl.DataFrame, digits: str) -> bool:
    """Whether digits stand in different places, seen from either end: a new year or a new price ending does not."""
    place = WAS.str.find(digits, literal=True)
    from_front, from_behind = place.n_unique(), (WAS.str.len_bytes() - place).n_unique()
    places = cells.select(from_front, b=from_behind).row(0)
    return all(number > 1 for number in places)


def _digit_swaps(was: str, now: str) -> set[tuple[str, str]]:
    """The digits that may have been exchanged for others: what differs, with up to two digits on each side."""
    front = _alike(was, now)
    back = _alike(was[front:][::-1], now[front:][::-1])
    swaps = set()
    for left in range(min(2, front) + 1):
        for right in range(min(2, back) + 1):
            old = was[front - left : len(was) - back + right]
            new = now[front - left : len(now) - back + right]
            if old.isdigit() and new.isdigit():
                swaps.add((old, new))
    return swaps


def _word_swap(was: str, now: str, old: str, new: str) -> tuple[str, str]:
    """The whole words around what was exchanged, in small letters before."""
    front = _alike(was, now)
    left = len(was[:front]) - len(re.search(r"\w*$", was[:front])[0])  # type: ignore[index]
    tail = re.match(r"\w*", was[front + len(old) :])[0]  # type: ignore[index]
    return (was[left : front + len(old)] + tail).lower(), now[left : front + len(new)] + tail


def _swap(was: str, now: str) -> tuple[str, str]:
    """What of a text was exchanged for what, between the parts that are the same in front and behind."""
    front = _alike(was, now)
    was, now = was[front:], now[front:]
    back = _alike(was[::-1], now[::-1])
    return (was[: len(was) - back], now[: len(now) - back])


def _alike(one: str, other: str) -> int:
    """How many characters two texts have in common from their beginnings on."""
    return next((at for at, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))


CHECKS = (Check("search and replace", "error, warning", replaced, Override.IGNORE),)

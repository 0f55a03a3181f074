"""Where texts stand among others, such as the codes of a file's rows among the codes of items."""

from __future__ import annotations

import polars as pl

from neat_delta.tables.distinct import is_ascending

# Of how many texts there is one at most that is asked for where each is looked up by itself.
FEW = 50


def positions_of(among: pl.Series, asked: pl.Series, *, ascends: bool = False) -> pl.Series:
    """The position among texts at which each asked one is; null where it is not there, or there more than once.

    Most of what asks comes in the order of what it asks about: the cells of items item by item, the items of a file as
    the live export has them. Then comparing columns tells, which takes a fraction of the time of matching texts.
    ``ascends`` says that the texts to look among are known to be in ascending order, each there once.
    """
    runs = asked.rle_id()
    if len(asked) and runs[-1] + 1 < len(asked):
        return positions_of(among, asked.filter(runs != runs.shift(fill_value=len(asked))), ascends=ascends).gather(
            runs
        )
    if ascends and len(asked) <= len(among) // FEW:
        return _where_equal(among, asked, among.search_sorted(asked))
    if ascends and not asked.has_nulls() and is_ascending(asked):
        return _where_equal(among, asked, _last_not_behind(among, asked))
    return _in_order(among, asked) if all_different(asked) else _by_text(among, asked)


def _in_order(among: pl.Series, asked: pl.Series) -> pl.Series:
    """The places of different texts, at once if these are just the ones that stand there, in their order.

    As they are different, none of them is there twice then.
    """
    if len(asked) == len(among) and asked.equals(among):
        return pl.int_range(len(among), dtype=pl.UInt32, eager=True).alias("at")
    if len(asked) <= len(among):
        some = among.hash().is_in(asked.hash().implode()).arg_true().cast(pl.UInt32)
        if len(some) == len(asked) and among.gather(some).equals(asked):
            return some.alias("at")
    return _by_text(among, asked)


def _last_not_behind(among: pl.Series, asked: pl.Series) -> pl.Series:
    """The place of the last text that does not stand behind the asked one by the alphabet; both are in its order."""
    sides = [texts.alias("text").to_frame().set_sorted("text") for texts in (asked, among)]
    return sides[0].join_asof(sides[1].with_row_index("at"), on="text", strategy="backward")["at"]


def _where_equal(among: pl.Series, asked: pl.Series, at: pl.Series) -> pl.Series:
    """These places, but null where another text is there, or none."""
    at = at.cast(pl.UInt32).alias("at")
    at = at.set(at >= len(among), None)
    at_place = among.gather(at).eq_missing(asked)
    return at if at_place.all() else at.set(~at_place, None)


def _by_text(among: pl.Series, asked: pl.Series) -> pl.Series:
    texts = asked.alias("text").to_frame()
    index = pl.DataFrame([among.alias("text")]).with_row_index("at")
    positions = texts.join(index, on="text", how="left", maintain_order="left")
    if len(positions) > len(asked):
        once = index.join(texts, on="text", how="semi").unique("text", keep="none")
        positions = texts.join(once, on="text", how="left", maintain_order="left")
    return positions["at"]


def all_different(texts: pl.Series) -> bool:
    """Whether no text is there twice; different hashes show it, equal ones need a closer look."""
    return texts.hash().n_unique() == len(texts) or texts.n_unique() == len(texts)

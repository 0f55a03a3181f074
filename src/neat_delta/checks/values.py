"""Values that must be known, or may stand only once: limited values, categories, pictures, barcodes, references."""

from __future__ import annotations

import unicodedata
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.findings import no_findings
from neat_delta.changeset.schemas import ADD, REMOVE
from neat_delta.checks.check import Check, Override, concat_findings
from neat_delta.matching import Key
from neat_delta.tables.profile import LEAST_USES, MOST_CHOICES
from neat_delta.tables.type_inference import code_separator, resolve_type, split_values

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from neat_delta.checks.check import CheckContext
    from neat_delta.tables.settings import FieldSettings

SOME_VALUES = 12
# A slip of the hand changes a letter or two, and never most of a short word.
MOST_SLIPS = 2
SHORTEST = 4
SINGLE = "\x1f"
FEWEST_RENAMED = 3
RENAMED = "no item has this category yet; all items of the old one get it. Renamed? Then rename it in the shop first"


def unknown_value(context: CheckContext) -> pl.DataFrame:
    """A choice field gets a value that is not allowed, or that no item has."""
    findings = []
    for name, configured, cells in context.cells():
        known_values = _known_values(context, name, configured)
        if known_values is None or name in context.overrides.allow_new_values:
            continue
        strange = _strange(cells, known_values, configured.separator)
        choices = [configured.labels.get(value, value) for value in known_values.to_list()]
        advice = {
            value: _advice(value, choices, name, open_=not configured.allowed_values)
            for value in strange["single"].unique()
        }
        message = strange["single"].replace_strict(advice, return_dtype=pl.String)
        findings.append(context.findings_for(strange, "unknown value", "error", message))
    return concat_findings(findings)


def _known_values(context: CheckContext, name: str, configured: FieldSettings) -> pl.Series | None:
    """The values of a limited field; ``None`` for an open one."""
    more = pl.Series(context.settings.known.get(name, ()), dtype=pl.String)
    if configured.allowed_values:
        return pl.concat([pl.Series(configured.allowed_values), more])
    if configured.type == "choice":
        return pl.concat([split_values(context.live.cells([name])[name], configured.separator).sort(), more])
    return None


def _strange(cells: pl.DataFrame, known_values: pl.Series, separator: str | None) -> pl.DataFrame:
    """Cells with a single value (added as single) that is not known and was not there before; one for each cell."""
    new = cells.drop_nulls("now").with_columns(single=pl.col("now").str.split(separator or SINGLE))
    new = new.explode("single").with_columns(pl.col("single").str.strip_chars())
    before = pl.col("was").fill_null("").str.split(separator or SINGLE)
    new = new.filter(
        ~pl.col("single").is_in(known_values.implode()) & (pl.col("single") != "") & ~pl.col("single").is_in(before)
    )
    return new.unique(["key", "field"], keep="first", maintain_order=True)


def _advice(value: str, choices: Sequence[str], name: str, *, open_: bool) -> str:
    near = nearest(value, choices)
    if near is not None:
        meant = f"did you mean {near!r}?"
    else:
        meant = "choose from: " + ", ".join(choices[:SOME_VALUES]) + (" …" if len(choices) > SOME_VALUES else "")
    what = "no item has this category yet" if open_ else "not an allowed value"
    return f"{what}; {meant}"


def nearest(value: str, choices: Iterable[str]) -> str | None:
    """The known value that is the same but for case, spaces, accents, or a letter or two; ``None`` if there is none.

    Letters are counted as by the optimal string alignment distance: one put in, left out, exchanged, or two swapped.
    """
    from rapidfuzz import process  # few runs have values that are new
    from rapidfuzz.distance import OSA

    folded = {normalize(choice): choice for choice in choices}
    plain = normalize(value)
    if plain in folded:
        return folded[plain]
    most = min(MOST_SLIPS, len(plain) // SHORTEST)
    near = process.extractOne(plain, list(folded), scorer=OSA.distance, score_cutoff=most) if most else None
    return folded[near[0]] if near else None


def normalize(value: str) -> str:
    """A value without what does not make another one of it: letter case, accents, spaces, signs between words."""
    bare = unicodedata.normalize("NFKD", value).casefold()
    return "".join(sign for sign in bare if sign.isalnum() or sign in "+-.,%/")


def another_spelling(context: CheckContext) -> pl.DataFrame:
    """A new value differs from a known one only in case, spaces or accents."""
    findings = []
    for name, configured, cells in context.cells():
        if (
            configured.allowed_values
            or configured.type == "choice"
            or context.type_of(name) != "text"
            or configured.separator
        ):
            continue
        used = context.live.distinct_values(name)
        if not 1 < len(used) <= MOST_CHOICES or len(context.live) < LEAST_USES * len(used):
            continue
        strange = _strange(cells, used, None)
        folded = {normalize(value): value for value in used}
        like = {value: folded[normalize(value)] for value in strange["single"].unique() if normalize(value) in folded}
        hit = strange.filter(pl.col("single").is_in(list(like)))
        meant = hit["single"].replace_strict(like, return_dtype=pl.String)
        message = pl.select(pl.format("other items use {}; possible spelling variant", meant)).to_series()
        findings.append(context.findings_for(hit, "new spelling", "warning", message))
    return concat_findings(findings)


def spelling_variant(context: CheckContext) -> pl.DataFrame:
    """A choice field that changes already has two spellings of one value in the shop."""
    findings = []
    for name, configured, cells in context.cells():
        if configured.type != "choice":
            continue
        used = split_values(context.live.cells([name])[name], configured.separator).sort()
        folded: dict[str, list[str]] = {}
        for value in used:
            folded.setdefault(normalize(value), []).append(value)
        multiple = [" and ".join(map(repr, spellings)) for spellings in folded.values() if len(spellings) > 1]
        if multiple:
            about = cells.head(1).with_columns(now=pl.lit(None, pl.String))
            message = f"the shop already has two spellings in {name}: {'; '.join(multiple[:SOME_VALUES])}"
            findings.append(context.findings_for(about, "spelling variant", "note", message))
    return concat_findings(findings)


def unknown_category(context: CheckContext) -> pl.DataFrame:
    """An item gets a category that no item has and that is not allowed, or one with subcategories.

    Where all items of a category get one new name, it is renamed, and they are not held back.
    """
    findings = []
    for name, configured, cells in context.cells():
        if context.type_of(name) != "category" or name in context.overrides.allow_new_values:
            continue
        used = split_values(context.live.cells([name])[name], configured.separator)
        used = pl.concat([used, pl.Series(context.settings.known.get(name, ()), dtype=pl.String)]).unique().sort()
        parents = _parents(used)
        strange = _strange(cells, pl.concat([used, parents]).unique(), configured.separator)
        advice = {value: _advice(value, used.to_list(), name, open_=True) for value in strange["single"].unique()}
        message = strange["single"].replace_strict(advice, return_dtype=pl.String)
        renamed = _renamed(context, strange, name) if name not in context.settings.known else strange.clear()
        strange = strange.with_columns(message=message).join(renamed, on="key", how="anti", maintain_order="left")
        findings.append(context.findings_for(strange, "unknown category", "error", strange["message"]))
        findings.append(context.findings_for(renamed, "unknown category", "warning", RENAMED))
        if configured.lowest:
            inner = _strange(cells, used.filter(~used.is_in(parents.implode())), configured.separator)
            inner = inner.filter(pl.col("single").is_in(parents.implode()))
            say_lowest = "choose a subcategory; items are in the lowest level only"
            findings.append(context.findings_for(inner, "unknown category", "error", say_lowest))
    return concat_findings(findings)


def _renamed(context: CheckContext, cells: pl.DataFrame, name: str) -> pl.DataFrame:
    """The cells of categories of which all items, several, get one and the same other name."""
    one = cells.filter(pl.col("now") == pl.col("single")).with_columns(
        to=pl.col("now").n_unique().over("was"), items=pl.len().over("was")
    )
    before = context.live.cells([name])[name].str.strip_chars().value_counts(name="before")
    one = one.join(before, left_on=pl.col("was").str.strip_chars(), right_on=name, how="left", maintain_order="left")
    whole = (pl.col("to") == 1) & (pl.col("items") == pl.col("before")) & (pl.col("items") >= FEWEST_RENAMED)
    return one.filter(whole).select(cells.columns)


def _parents(paths: pl.Series) -> pl.Series:
    """All categories that others of these are in, by whatever sign parts their levels."""
    cut = paths.str.extract_all(r"[^>/\\|:»]+[>/\\|:»]?").list
    longest = int(cut.len().max() or 0)  # type: ignore[arg-type]
    above = [cut.head(levels).list.join("").str.strip_chars(" >/\\|:»") for levels in range(1, longest)]
    deeper = [part.filter(cut.len() > levels) for levels, part in enumerate(above, start=1)]
    return pl.concat([paths.clear(), *deeper]).unique()


def image_name(context: CheckContext) -> pl.DataFrame:
    """The name of an image file has characters that URLs cannot have."""
    message = "the file name has a space or a character that URLs cannot have. Rename the image"
    return concat_findings(
        context.findings_for(
            cells.filter(pl.col("now").str.contains(r"[\s?#%&\"<>\\]")), "image name", "warning", message
        )
        for name, configured, cells in context.cells()
        if context.type_of(name) == "image" and (configured.separator or "").strip() not in ("&", "#")
    )


def image_missing(context: CheckContext) -> pl.DataFrame:
    """An image file is not in the folder with the images."""
    if context.images is None:
        return no_findings()
    file_names = pl.Series(sorted(context.images), dtype=pl.String)
    message = "image file not found. Add it to the folder, or correct the name (upper and lower case count)"
    return concat_findings(
        context.findings_for(_strange(cells, file_names, configured.separator), "image missing", "error", message)
        for name, configured, cells in context.cells()
        if context.type_of(name) == "image"
    )


def not_unique(context: CheckContext) -> pl.DataFrame:
    """A value that must be unique is on another item too: barcodes, and fields set as unique."""
    findings = []
    for name, configured, cells in context.cells():
        if not (configured.unique or context.type_of(name) == "barcode"):
            continue
        keys = Key(context.changes.head.key, explicit=True).values(context.live)
        shop_values = pl.DataFrame({"key": keys, "now": context.live.cells([name])[name]}).filter(pl.col("now") != "")
        irreversible = shop_values.join(context.changes.cells.filter(field=name).select("key"), on="key", how="anti")
        after = pl.concat([irreversible, cells.select("key", "now").drop_nulls()])
        double = after.join(cells.select("now").drop_nulls().unique(), on="now", how="semi")
        others = double.group_by("now").agg("key").filter(pl.col("key").list.len() > 1)
        hit = cells.join(others.rename({"key": "keys"}), on="now", how="inner", maintain_order="left")
        other = hit["keys"].list.set_difference(hit.select(pl.concat_list("key")).to_series()).list.first()
        message = pl.select(
            pl.format("duplicate value, must be unique: {} has it too", other.fill_null("another item"))
        ).to_series()
        findings.append(context.findings_for(hit, "not unique", "error", message))
    return concat_findings(findings)


def broken_link(context: CheckContext) -> pl.DataFrame:
    """A link to an item that does not exist."""
    key = context.changes.head.key
    if len(key) != 1:
        return no_findings()
    findings = []
    for name, configured, cells in context.cells():
        if context.type_of(name) == "item link":
            to = context.changes.new_keys()
            leaving = pl.concat([context.changes.keys_with_action(REMOVE)["key"], pl.Series(list(to), dtype=pl.String)])
            live = context.live.cells(key).to_series()
            stays = live.filter(~live.is_in(leaving.implode()))
            added = context.changes.keys_with_action(ADD)["key"]
            codes = pl.concat([one.rename("") for one in (stays, added, pl.Series(list(to.values()), dtype=pl.String))])
            parted_by = configured.separator or code_separator(context.live.cells([name])[name])
            strange = _strange(cells, codes, parted_by)
            findings.append(
                context.findings_for(
                    strange, "broken link", "warning", "linked SKU does not exist. Correct it, or add the item"
                )
            )
    return concat_findings(findings)


def parent_removed(context: CheckContext) -> pl.DataFrame:
    """An item is deleted, but other items link to it."""
    key = context.changes.head.key
    removed = context.changes.keys_with_action(REMOVE)
    if len(key) != 1 or removed.is_empty():
        return no_findings()
    codes, findings = context.live.cells(key).to_series(), []
    irreversible = ~codes.is_in(removed["key"].implode())
    for name in context.live.names:
        cells, configured = context.live.cells([name])[name], context.settings.field(name)
        if name in key or resolve_type(context.live.distinct_values(name), name, configured).name != "item link":
            continue
        values_after = context.beside(name) if name in context.changes.head.fields else None
        now = cells if values_after is None else _with_changes(cells, codes, values_after)
        separator = configured.separator or code_separator(cells)
        named = pl.DataFrame({"key": now.filter(irreversible), "by": codes.filter(irreversible)})
        named = named.with_columns(pl.col("key").str.split(separator) if separator else pl.concat_list("key"))
        named = named.explode("key").with_columns(pl.col("key").str.strip_chars())
        hit = removed.join(named.group_by("key").agg(pl.len(), pl.col("by").first()), on="key", maintain_order="left")
        message = hit.select(
            pl.format("{} links to it in {} and is not deleted. Delete both, or neither", "by", pl.lit(name))
        )
        about = hit.select("key", now=pl.lit(None, pl.String), field=pl.lit(None, pl.String))
        findings.append(context.findings_for(about, "parent removed", "error", message.to_series()))
    return concat_findings(findings)


def _with_changes(cells: pl.Series, codes: pl.Series, both: pl.DataFrame) -> pl.Series:
    """A live column with the new values of the touched items (frame of key, now)."""
    frame = pl.DataFrame({"key": codes, "there": cells}).join(both.select("key", "now"), on="key", how="left")
    touched = pl.Series(codes.is_in(both["key"].implode()))
    return cells.zip_with(~touched, frame["now"].fill_null(""))


CHECKS = (
    Check("unknown value", "error", unknown_value, Override.NEW_VALUES),
    Check("unknown category", "error, warning", unknown_category, Override.NEW_VALUES),
    Check("new spelling", "warning", another_spelling, Override.IGNORE),
    Check("spelling variant", "note", spelling_variant, Override.IGNORE),
    Check("not unique", "error", not_unique, Override.IGNORE),
    Check("broken link", "warning", broken_link, Override.IGNORE),
    Check("parent removed", "error", parent_removed, Override.IGNORE),
    Check("image name", "warning", image_name, Override.IGNORE),
    Check("image missing", "error", image_missing),
)

"""Cell by cell: what became of each cell whose text differs from the live one."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.changeset.changeset import CELLS
from neat_delta.changeset.findings import no_findings
from neat_delta.changeset.head import FieldInfo
from neat_delta.diff.multi_value_ops import apply_parts, parts_of_fields
from neat_delta.diff.no_data import about_no_data, as_stated, says_no_data
from neat_delta.diff.schemas import Restored, RestoredFrame
from neat_delta.diff.typed_values import ReadBack, TypedCells, read_back, rewritten_alone, typed_cells
from neat_delta.diff.unreadable_cells import unreadable_cells
from neat_delta.files.memory import columns_at_once
from neat_delta.replay import explain_forms
from neat_delta.tables.field_types import EditedColumn, FormatOverrides, are_blank, every_character_counts, infer_type
from neat_delta.tables.field_types.date import Date
from neat_delta.tables.field_types.exact_text import ExactText
from neat_delta.tables.field_types.number_parsing import (
    UNDECIDED,
    decided_separator,
    decimals_shown,
    in_two_forms,
    same_but_for_separator,
)
from neat_delta.tables.field_types.numeric import Numeric
from neat_delta.tables.formula_text import unescaped
from neat_delta.tables.settings import NOT_CONFIGURED
from neat_delta.tables.type_inference import infer_column_format, resolve_type

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.tables import Table
    from neat_delta.tables.field_types import FieldType
    from neat_delta.tables.settings import FieldSettings

# A person types it to empty just this cell.
EMPTY_CELL = "(empty)"
IN_FRONT, BEHIND = r"^(\s*)", r"(\s*)$"


@dataclass(frozen=True)
class ComparisonRules:
    """What holds for fields: what is configured, which a blank empties, of which every character counts.

    Texts in ``computed`` fields were not through a spreadsheet program. ``no_data``: words for it count as blank, as in
    a supplier's cells of numbers and dates.
    """

    fields: Mapping[str, FieldSettings]
    cleared: frozenset[str]
    as_typed: frozenset[str] = frozenset()
    computed: frozenset[str] = frozenset()
    no_data: bool = False

    def of(self, name: str) -> FieldSettings:
        """What is configured for a field."""
        return self.fields.get(name, NOT_CONFIGURED)


@dataclass(frozen=True)
class CellDiff:
    """What the paired rows hold.

    Attributes:
        cells: the changes (pair, field, was, now).
        findings: cells that cannot be taken, or want a look (pair, finding's columns).
        reformatted: how many cells differ from the live ones in form only.
        reformatted_example: one such cell beside its live one.
        blanks: how many cells were blank where the live export has a value, and left alone.
        notes: column, type and decimal separator of every field that has a change or a finding.
        restored: texts that a spreadsheet program wrote in another form.
    """

    cells: pl.DataFrame
    findings: pl.DataFrame
    reformatted: int
    reformatted_example: tuple[str, str] | None
    blanks: int
    notes: dict[str, FieldInfo]
    restored: RestoredFrame


@dataclass(frozen=True)
class FieldDiff:
    """One field's cells whose texts differ: the changes, the findings, and how many are neither.

    ``typed``: of the changes, the texts that may have been typed otherwise; null where every character is read.
    """

    cells: pl.DataFrame
    findings: pl.DataFrame
    reformatted: int
    reformatted_example: tuple[str, str] | None
    blanks: int
    note: FieldInfo
    restored: RestoredFrame
    typed: TypedCells | None = None


def compare_cells(
    live: Table,
    edited: Table,
    pairs: pl.DataFrame,
    fields: Sequence[str],
    rules: ComparisonRules,
) -> CellDiff:
    """Compare paired rows (frame of live, edited positions) field by field; those without a live row come last.

    Texts are compared first; only where some differ is the live column's kind looked for and are values read.
    """
    at_once = columns_at_once(2 * len(pairs))
    diffs = [
        _compare_fields(live, edited, pairs, fields[at : at + at_once], fields, rules)
        for at in range(0, len(fields), at_once)
    ]
    judged = {name: diff for some in diffs for name, diff in some.items()}
    typed = {name: diff.typed for name, diff in judged.items() if diff.typed is not None}
    judged |= {name: _with_read_back(judged[name], read) for name, read in read_back(live, edited, typed).items()}
    parts = [_without_alone(diff, edited, name) for name, diff in judged.items()]
    return CellDiff(
        cells=pl.concat([j.cells for j in parts]) if parts else _no_cells(),
        findings=pl.concat([j.findings for j in parts]) if parts else no_findings().insert_column(0, _no_pairs()),
        reformatted=sum(j.reformatted for j in parts),
        reformatted_example=next((j.reformatted_example for j in parts if j.reformatted_example), None),
        blanks=sum(j.blanks for j in parts),
        notes={name: j.note for name, j in judged.items() if len(j.cells) or len(j.findings)},
        restored=Restored.checked(pl.concat([Restored.none(), *(j.restored for j in parts)])),
    )


def _with_read_back(diff: FieldDiff, read: ReadBack) -> FieldDiff:
    """A field's changes with the texts that were typed in place of those that are there; without those in doubt."""
    cells = diff.cells.filter(~pl.col("pair").is_in(read.doubtful.implode()))
    cells = cells.join(read.restored, on="pair", how="left", suffix=" typed", maintain_order="left")
    cells = cells.with_columns(now=pl.coalesce("now typed", "now")).drop("now typed")
    same = (pl.col("was") == pl.col("now")).fill_null(value=False)
    return replace(diff, cells=cells.filter(~same), findings=pl.concat([diff.findings, read.findings]))


def _without_alone(diff: FieldDiff, edited: Table, name: str) -> FieldDiff:
    """A field's changes; texts in another form are in doubt where other cells of the column kept theirs."""
    if diff.restored.is_empty() or name not in edited.names:
        return diff
    pairs, findings = rewritten_alone(edited, name, diff.restored)
    rest = Restored.checked(diff.restored.filter(~pl.col("pair").is_in(pairs.implode())))
    return replace(diff, restored=rest, findings=pl.concat([diff.findings, findings]))


def _compare_fields(
    live: Table,
    edited: Table,
    pairs: pl.DataFrame,
    fields: Sequence[str],
    every_field: Sequence[str],
    rules: ComparisonRules,
) -> dict[str, FieldDiff]:
    """Compare some fields of paired rows: what became of each in which some texts differ."""
    was = _current(live, fields, pairs["live"])
    multiple = parts_of_fields(edited, fields, rules.fields)
    plain = [name for name in fields if name not in multiple]
    now = edited.cells(plain, pairs["edited"]).to_dict()
    now |= {name: decode_labels(now[name], rules.of(name).labels) for name in plain if rules.of(name).labels}
    for name, parts in multiple.items():
        sheet = edited.cells([column for column in (parts.whole, parts.add, parts.take) if column], pairs["edited"])
        now[name] = apply_parts(was[name], sheet, parts, rules.of(name).separator or "")
    now = {name: _unescape_formula(cells, was[name]) for name, cells in now.items()}
    # Such a field is only empty if its last value was taken from it on purpose.
    rules = replace(rules, cleared=rules.cleared | multiple.keys())
    differing = {name: (was[name] != now[name]).arg_true() for name in fields}
    touched = [name for name in fields if len(differing[name])]
    live.cells(touched)  # parsing costs by the pass rather than by the column

    def judge(name: str) -> FieldDiff:
        at = differing[name]
        filled = live.distinct_values(name)
        kind = resolve_type(filled, name, rules.of(name))
        texts = pl.DataFrame({"pair": at, "was": was[name].gather(at), "edited": now[name].gather(at)})
        return _judge(texts, _Column(name, kind, live, edited), rules, every_field)

    # One field's judging is one thread's work.
    with ThreadPoolExecutor() as judges:
        return dict(zip(touched, judges.map(judge, touched), strict=True))


def _unescape_formula(cells: pl.Series, was: pl.Series) -> pl.Series:
    """Cells without the apostrophe that keeps text from being run as a formula, but where the live text has it too."""
    if not cells.str.starts_with("'").any():
        return cells
    frame = pl.DataFrame({"now": cells, "was": was})
    plain = pl.when(pl.col("now") == pl.col("was")).then("now").otherwise(unescaped(pl.col("now")))
    return frame.select(plain.alias(cells.name)).to_series()


def _current(live: Table, fields: Sequence[str], rows: pl.Series) -> pl.DataFrame:
    """The live cells of these rows, and nothing at all where there is no row."""
    shop_values = live.cells(fields, rows.drop_nulls())
    return (
        shop_values
        if len(shop_values) == len(rows)
        else shop_values.select(pl.all().extend_constant("", rows.null_count()))
    )


def decode_labels(cells: pl.Series, labels: Mapping[str, str]) -> pl.Series:
    """Cells with labels turned back into the store's values; letter case and outer spaces do not matter."""
    values = {label.strip().lower(): value for value, label in labels.items()}
    plain = cells.str.strip_chars().str.to_lowercase()
    return plain.replace_strict(values, default=cells, return_dtype=pl.String).alias(cells.name)


@dataclass(frozen=True)
class _Column:
    """A field with its kind, and both files."""

    name: str
    type: FieldType
    live: Table
    edited: Table


def _as_meant(texts: pl.DataFrame, column: _Column, kind: FieldType) -> pl.DataFrame:
    """Texts without what no person means to change: white space around them, and forms.

    Accents may be written as one character or as two (Unicode NFC and NFD); and whatever kind is asked for, numbers of
    a column of numbers keep its form. With ``as_typed`` every character counts.
    """
    if isinstance(kind, ExactText) and not column.live.distinct_values(column.name).is_empty():
        texts = _numbers_in_form(texts, column)
    was, now = pl.col("was"), pl.col("edited").str.normalize("NFC")
    core = now.str.strip_chars()
    same = was.str.normalize("NFC").str.strip_chars() == core
    # White space that the live value has too is kept with a new text; any other is a slip.
    ends = ((was.str.extract(end), now.str.extract(end)) for end in (IN_FRONT, BEHIND))
    in_front, behind = (pl.when(_plain_ends(old) == _plain_ends(new)).then(old) for old, new in ends)
    trimmed = pl.concat_str(in_front.fill_null(""), core, behind.fill_null(""))
    meant = pl.when(same).then(was).when(core == "").then("edited").otherwise(trimmed)
    return texts.with_columns(edited=meant)


def _plain_ends(texts: pl.Expr) -> pl.Expr:
    return texts.str.replace_all("\r\n", "\n", literal=True)


def _numbers_in_form(texts: pl.DataFrame, column: _Column) -> pl.DataFrame:
    """Numbers with a mark in the form of a live column that holds numbers, though it is taken for another kind."""
    inferred = infer_type(column.live.distinct_values(column.name), column.name)
    if not isinstance(inferred, Numeric):
        return texts
    form = inferred.infer_format(
        column.live.distinct_values(column.name),
        FormatOverrides(decimal_separator=column.live.format.decimal_separator),
    )
    sheet = inferred.infer_edited_format(
        EditedColumn(texts["edited"], texts["was"], column.edited.format.decimal_separator), form
    )
    marked = texts["edited"].str.contains("[.,]")
    readings = inferred.normalize(texts["edited"], sheet)
    same = (readings == inferred.normalize(texts["was"], form)).fill_null(value=False)
    written = inferred.format(readings, texts["edited"], form)
    frame = texts.with_columns(written=written, marked=marked & readings.is_not_null(), same=same & marked)
    chosen = pl.when("same").then("was").when("marked").then("written").otherwise("edited")
    return frame.with_columns(edited=chosen).select(texts.columns)


def _evidence(texts: pl.DataFrame, column: _Column, fields: Sequence[str]) -> EditedColumn:
    """What shows how the edited column is written: the whole of it where some cell may be read in two ways."""
    name, cells, edited = column.name, texts["edited"], column.edited
    in_doubt = column.type.name == "percent" or (column.type.numeric and cells.str.contains(UNDECIDED).any())
    if not in_doubt:
        return EditedColumn(cells, texts["was"], edited.format.decimal_separator)
    whole = edited.distinct_values(name) if name in edited.names else cells
    return EditedColumn(cells, texts["was"], _sheet_mark(column, fields), whole, column.live.distinct_values(name))


def _sheet_mark(column: _Column, fields: Sequence[str]) -> str | None:
    """The decimal separator of a sheet: as it shows, or where it seems to show two, as its columns of numbers show.

    Texts such as 8.0 tell nothing of it.
    """
    edited, live = column.edited, column.live
    if edited.format.decimal_separator:
        return edited.format.decimal_separator
    shown = set()
    for name in fields:
        if name in edited.names and resolve_type(live.distinct_values(name), name, NOT_CONFIGURED).numeric:
            shown.add(decided_separator(edited.distinct_values(name)))
    marks = shown - {None}
    return marks.pop() if len(marks) == 1 else None


def _judge(texts: pl.DataFrame, column: _Column, rules: ComparisonRules, fields: Sequence[str]) -> FieldDiff:
    """Sort one field's differing texts (pair, was, edited) into changes, refused cells, mere form, and blanks."""
    kind = column.type
    cleared = column.name in rules.cleared
    form = infer_column_format(column.live, column.name, kind, rules.of(column.name))
    note = FieldInfo(
        column.live.field(column.name).column,
        kind.name,
        getattr(form, "decimal_separator", None),
        getattr(kind, "separator", None),
    )

    restored = Restored.none()
    is_text = every_character_counts(kind) and column.name not in rules.as_typed
    was_typed = is_text and column.name not in rules.computed
    if is_text:
        if was_typed:
            restored, texts = _restored(texts, column.name)
        texts = _as_meant(texts.with_columns(typed="edited"), column, kind)
    else:
        texts = texts.with_columns(typed="edited")
    to_empty = texts["edited"].str.strip_chars() == EMPTY_CELL
    on_purpose, texts = texts.filter(to_empty & ~are_blank(texts["was"])), texts.filter(~to_empty)
    counts_as_blank = rules.no_data and (kind.numeric or kind.name == "date") and not cleared
    without_data, texts = _split(texts, says_no_data(texts["edited"]) & counts_as_blank)
    notes = [about_no_data(without_data, column.name)]
    if rules.no_data and kind.numeric:
        texts, at_least = as_stated(texts, column.name)
        notes.append(at_least)
    blank, texts = _split(texts, are_blank(texts["edited"]))
    emptied = blank.filter(~are_blank(blank["was"]))
    sheet_form = kind.infer_edited_format(_evidence(texts, column, fields), form)
    read = _readings(texts, kind, form, sheet_form)
    unread = read.filter(pl.col("reading").is_null())
    changed = read.filter(pl.col("reading").is_not_null() & pl.col("before").ne_missing(pl.col("reading")))
    alike = ~texts["pair"].is_in(pl.concat([unread["pair"], changed["pair"]]).implode())
    cells = changed.with_columns(now=kind.format(changed["reading"], changed["edited"], form))
    cells = cells.select("pair", "was", "now", "edited")
    note = replace(note, decimals_shown=decimals_shown(changed["edited"]) if kind.numeric else None)
    typed = typed_cells(cells.select("pair", "was", "now"), restored["what"]) if was_typed else None
    taken_out = pl.concat([on_purpose, emptied]) if cleared else on_purpose
    if len(taken_out):
        cells = pl.concat([cells, taken_out.select("pair", "was", pl.lit(None, pl.String).alias("now"), "edited")])
    return FieldDiff(
        cells=cells.with_columns(field=pl.lit(column.name), was=pl.when(pl.col("was") != "").then("was")).select(
            "pair", "field", "was", "now"
        ),
        findings=pl.concat([unreadable_cells(unread, column.name, column.type), *notes]),
        reformatted=int(alike.sum()) + len(blank) - len(emptied),
        reformatted_example=texts.select("typed", "was").row(int(alike.arg_max() or 0)) if alike.any() else None,
        blanks=0 if cleared else len(emptied) + len(without_data),
        note=note,
        restored=restored,
        typed=typed,
    )


def _readings(texts: pl.DataFrame, kind: FieldType, form: Any, sheet_form: Any) -> pl.DataFrame:
    """Texts with the values that they have now and had before (reading, before); null where they cannot be read.

    Most numbers of a sheet with the other decimal separator are recognised as the same unread, and left out.
    """
    numeric = isinstance(kind, Numeric)
    same = same_but_for_separator(texts["edited"], sheet_form, texts["was"], form) if numeric else None
    read = texts if same is None else texts.filter(~same)
    read = read.with_columns(
        reading=kind.normalize(read["edited"], sheet_form), before=kind.normalize(read["was"], form)
    )
    if numeric and read["reading"].has_nulls():
        # 90.913 may be read in two ways; but it is what is left of 90.9130 if nobody touched it.
        as_live = kind.normalize(read["edited"], form)
        read = read.with_columns(reading=pl.coalesce("reading", pl.when(as_live == read["before"]).then("before")))
    if isinstance(kind, Date):
        in_century = kind.in_century_of(read["before"], read["reading"], read["edited"], sheet_form)
        read = read.with_columns(reading=in_century)
    both_forms = in_two_forms(read["edited"]) if kind.numeric else None
    return read if both_forms is None else read.with_columns(reading=pl.when(~both_forms).then("reading"))


def _split(texts: pl.DataFrame, which: pl.Series) -> tuple[pl.DataFrame, pl.DataFrame]:
    """These texts, and the others."""
    return (texts.filter(which), texts.filter(~which)) if which.any() else (texts.clear(), texts)


def _restored(texts: pl.DataFrame, field: str) -> tuple[RestoredFrame, pl.DataFrame]:
    """The texts (pair, was, edited) that came back in another form, with what did it; and all others.

    They are looked for before anything else, for there may be as many as the field has values.
    """
    explained = texts.with_columns(what=explain_forms(texts.select("was", now="edited")))
    hit = explained.filter(pl.col("what").is_not_null())
    if hit.is_empty():
        return Restored.none(), texts
    restored = hit.select("pair", "was", "what", field=pl.lit(field), now="edited").select(*Restored.columns)
    return Restored.checked(restored), texts.filter(explained["what"].is_null())


def _no_pairs() -> pl.Series:
    return pl.Series("pair", [], dtype=pl.UInt32)


def _no_cells() -> pl.DataFrame:
    return pl.DataFrame(schema={"pair": pl.UInt32} | {name: CELLS[name] for name in ("field", "was", "now")})

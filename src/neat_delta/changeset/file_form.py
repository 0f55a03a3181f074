"""The lines of a change set's file, checked by their form: a head, and then a JSON text for each item.

Lines as the program writes them are told by a pattern over the whole column at once. Others may have been written by
hand; each is checked member by member, so that no number passes for a text and no name for another.
"""

from __future__ import annotations

import re
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput
from neat_delta.base.json_form import WrongForm, from_json, json_text
from neat_delta.changeset.head import Exclusion, FieldInfo, FileRef, Head, Identity, Overrides, Rule
from neat_delta.changeset.schemas import (
    ACTIONS,
    EFFECTS,
    LEVELS,
    NONE,
    RECODE,
    ROW_STATES,
    Cells,
    Effect,
    Findings,
    Items,
    Level,
)
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.tables import DELIMITERS
from neat_delta.tables.encodings import codec_name
from neat_delta.tables.field_types import field_types
from neat_delta.tables.import_config import ImportConfig  # noqa: TC001 (the reader of JSON looks it up)

if TYPE_CHECKING:
    from collections.abc import Iterator

    from neat_delta.locations import Location

FORMAT = 2
# So many lines are decoded at a time.
SLICE = 1 << 16
MAKE_AGAIN = "Make it again."
# Members of a finding that are always there, or that its item has.
NEVER_NULL = ("code", "level", "effect", "key")
# What would be a pattern of names where a name is wanted.
NO_NAME = re.compile(r"\*?|\^.*\$", re.DOTALL)
MOST_LINES = 2**32 - 1


@dataclass(frozen=True)
class _Version:
    neat_delta: int


@dataclass(frozen=True)
class _Head:
    """The first line."""

    key: tuple[str, ...]
    live: FileRef
    edited: FileRef
    fields: dict[str, FieldInfo]
    made: str
    counts: dict[str, int]
    overrides: Overrides = field(default_factory=Overrides)
    exclusions: tuple[Exclusion, ...] = ()
    identity: Identity | None = None
    made_by: tuple[str, ...] = ()
    approval: Rule | None = None
    imports: ImportConfig | None = None
    destination: str | None = None


@dataclass(frozen=True)
class _Cell:
    was: str | None
    now: str | None


@dataclass(frozen=True)
class _Finding:
    code: str
    level: Level
    effect: Effect | None = None
    field: str | None = None
    line: int | None = None
    value: str | None = None
    message: str | None = None
    data: str | None = None


@dataclass(frozen=True)
class _Item:
    key: tuple[str, ...] | None
    action: str
    row_state: str | None = None
    new_key: tuple[str, ...] | None = None
    line: int | None = None
    name: str | None = None
    cells: dict[str, _Cell] = field(default_factory=dict)
    findings: tuple[_Finding, ...] = ()


def parse_head(line: bytes, path: Location) -> tuple[Head, dict[str, int]]:
    """The head, without the rows beside items; and the numbers of rows that it gives.

    Raises:
        InvalidInput: the line is none, or of another format.
    """
    try:
        version = from_json(line, _Version).neat_delta
    except WrongForm as error:
        raise InvalidInput(
            "this is not a change set", file=path, line=1, hint="Make one by comparing two files.", code="no-change-set"
        ) from error
    if version != FORMAT:
        raise InvalidInput(
            f"this change set has format {version}; this program reads format {FORMAT}",
            file=path,
            line=1,
            hint="Use the version of neat-delta that made it, or compare again.",
            code="other-format",
        )
    try:
        form = from_json(line, _Head)
    except WrongForm as error:
        raise _wrong(f"the head of the change set is damaged ({error})", path, 1) from error
    if fault := next(_faults(form), None):
        raise _wrong(f"the head of the change set is damaged ({fault})", path, 1)
    head = Head(
        form.key,
        form.live,
        form.edited,
        form.fields,
        {},
        form.made,
        form.overrides,
        form.exclusions,
        form.identity,
        form.made_by,
        form.approval,
        form.imports,
        form.destination,
    )
    return head, form.counts


def _faults(head: _Head) -> Iterator[str]:
    """What in a head is of the right type, but nothing that the program writes."""
    types = {kind.name for kind in field_types()}
    if not head.key or len(set(head.key)) < len(head.key):
        yield "no key"
    if head.fields and set(head.key) - set(head.fields):
        yield "the key is none of its fields"
    for name, info in head.fields.items():
        if NO_NAME.fullmatch(name):
            yield f"{name!r} is no name of a field"
        if info.type not in types:
            yield f"{info.type!r} is no type"
        if info.decimal_separator not in (None, ".", ","):
            yield "decimal_separator"
        if info.separator == "":
            yield "separator"
    for file in (head.live, head.edited):
        if (
            not 0 <= file.rows <= MOST_LINES
            or file.delimiter not in (None, *DELIMITERS)
            or file.decimal_separator not in (None, ".", ",")
        ):
            yield f"how {file.name} was read"
        if file.header_line is not None and not 0 <= file.header_line <= MOST_LINES:
            yield "header_line"
        try:
            codec_name(file.encoding or "utf-8")
        except LookupError:
            yield "encoding"
    left_out = (number for one in head.exclusions for number in (one.cells, one.items))
    if any(not 0 <= number <= MOST_LINES for number in (*head.counts.values(), *left_out)):
        yield "counts"


def parse_lines(data: bytes, head: Head, path: Location) -> pl.DataFrame:
    """The items of a change set, as columns of the names in the file, with each line's position (at).

    Raises:
        InvalidInput: a line is damaged, or says what no change set says; with the line.
    """
    try:
        data.decode()
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 2
        raise _wrong("this line is not UTF-8 text: the file is damaged", path, line) from error
    lines = pl.read_lines(data, name="item").to_series() if data else pl.Series(dtype=pl.String)
    by_hand = (~lines.str.contains(_as_written(head))).arg_true()
    if len(by_hand):
        # What was checked is what counts, even where a name is in a line twice.
        checked = [_checked_line(lines[at], head, path, at + 2) for at in by_hand]
        lines = lines.scatter(by_hand, checked)
    try:
        rows = _decoded(lines, _item_shape(head)).with_row_index("at")
    except pl.exceptions.PolarsError as error:
        raise InvalidInput("the lines are not those of a change set", file=path, hint=MAKE_AGAIN) from error
    _insist_on_each_once(lines, rows, path)
    return rows


def _insist_on_each_once(lines: pl.Series, rows: pl.DataFrame, path: Location) -> None:
    """Refuse a line that has a cell of one field twice, or of none that the head has."""
    # (Within a text, quotes have a backslash; after a field called "was" stands a cell.)
    written = lines.str.count_matches(r'\{"was":[n"]')
    read = rows["cells"].struct.unnest().select(pl.sum_horizontal(pl.all().is_not_null().cast(pl.UInt32))).to_series()
    if (at := (written != read).arg_max()) is not None and written[at] != read[at]:
        raise _wrong("this line has a field twice, or one that the head does not have", path, at + 2)


def _as_written(head: Head) -> str:
    """The pattern of lines as the program writes them: what can be nothing else than what it seems."""
    text = r'"(?:[^"\\]|\\["\\/bfnrt]|\\u00[01][0-9a-f])*"'
    part = r'"(?:[^"\\]|\\["\\/bfnrt]|\\u00(?:0[0-9a-f]|1[0-9a-e]))*"'  # without the sign that joins keys
    line = "[1-9][0-9]{0,8}"
    key = rf"\[{part}(?:,{part}){{{len(head.key) - 1}}}\]"
    state = rf'(?:,"row_state":"(?:{"|".join(ROW_STATES)})")?'
    others = "|".join(action for action in ACTIONS if action != RECODE)
    start = (
        rf'null,"action":"{NONE}"{state}|{key},"action":"(?:{others})"{state}'
        rf'|{key},"action":"{RECODE}"{state},"new_key":{key}'
    )
    # (Names of thousands of fields would make too large a pattern; a strange one shows when cells are counted.)
    cell = rf'{text}:\{{"was":(?:null|{text}),"now":(?:null|{text})\}}'
    rest = "".join(
        rf',"{name}":(?:null|{line if name == "line" else text})' for name in Findings.columns if name not in NEVER_NULL
    )
    finding = rf'\{{"code":{text},"level":"(?:{"|".join(LEVELS)})","effect":"(?:{"|".join(EFFECTS)})"{rest}\}}'
    return (
        rf'^\{{"key":(?:{start})(?:,"line":{line})?(?:,"name":{text})?'
        rf'(?:,"cells":\{{{cell}(?:,{cell})*\}})?(?:,"findings":\[{finding}(?:,{finding})*\])?\}}$'
    )


def _checked_line(line: str, head: Head, path: Location, number: int) -> str:
    """One line, looked at member by member, as the program writes it.

    Raises:
        InvalidInput: it is not that of an item.
    """
    try:
        item = from_json(line, _Item)
    except WrongForm as error:
        raise _wrong(f"this line is not an item of a change set ({error})", path, number) from error
    if item.action not in ACTIONS:
        raise InvalidInput("unknown action", file=path, line=number, value=item.action, column="action")
    if fault := next(_faults_of(item, head), None):
        raise _wrong(f"this line is not an item of a change set ({fault})", path, number)
    return json_text(item)


def _faults_of(item: _Item, head: Head) -> Iterator[str]:
    for key in (item.key, item.new_key):
        if key is not None and (len(key) != len(head.key) or any(KEY_SEPARATOR in part for part in key)):
            yield f"a key has {len(head.key)} texts"
    if item.key is None and (item.action != NONE or item.cells):
        yield "only findings have no key"
    if (item.action == RECODE) != (item.new_key is not None):
        yield "new_key goes with the action recode"
    if item.row_state not in (None, *ROW_STATES):
        yield f"row_state {item.row_state!r}"
    if strange := [name for name in item.cells if name not in head.fields]:
        yield f"the head has no field {strange[0]!r}"
    if any(line is not None and not 0 < line <= MOST_LINES for line in (item.line, *(f.line for f in item.findings))):
        yield "line"


def _decoded(lines: pl.Series, shape: pl.Struct) -> pl.DataFrame:
    """The items of some lines, slice by slice: all at once they would be one core's work, and far more of it."""
    starts = range(0, max(1, len(lines)), SLICE)
    with ThreadPoolExecutor() as workers:
        parts = list(workers.map(lambda start: lines.slice(start, SLICE).str.json_decode(shape), starts))
    return pl.concat(parts).struct.unnest()


def _item_shape(head: Head) -> pl.Struct:
    cell = pl.Struct({name: Cells.dtypes()[name] for name in (Cells.WAS, Cells.NOW)})
    finding = pl.Struct({name: dtype for name, dtype in Findings.dtypes().items() if name != Findings.KEY})
    # A change set without changes has no fields, but a struct needs one.
    cells = pl.Struct(dict.fromkeys(head.fields or ["none"], cell))
    # (In the file a key is a list of its parts.)
    keys = {str(name): pl.List(pl.String) for name in (Items.KEY, Items.NEW_KEY)}
    return pl.Struct({**Items.dtypes(), **keys, "cells": cells, "findings": pl.List(finding)})


def _wrong(what: str, path: Location, line: int) -> InvalidInput:
    return InvalidInput(what, file=path, line=line, hint=f"Was it edited by hand, or cut off? {MAKE_AGAIN}")

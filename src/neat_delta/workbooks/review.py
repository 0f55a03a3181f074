"""A workbook in which somebody marks each change take or leave; "pick" reads it back.

Codes and values are text, so that they survive; nothing in it is run but our own sums. It carries the checksum of
the change set it was made from.
"""

from __future__ import annotations

import io
from decimal import Decimal
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.analysis.metrics import sort_by_impact
from neat_delta.analysis.text_diff import SAME, WENT, pieces
from neat_delta.base.errors import WriteError
from neat_delta.changeset.findings import computed_from
from neat_delta.changeset.schemas import ADD, RECODE, REMOVE
from neat_delta.changeset.serialization import dump_changes
from neat_delta.matching.key import key_parts
from neat_delta.reading import sha256_hex
from neat_delta.reconcile.review import ACCEPT, BOOK_SHEET, COMMENT, DECISION, FIELD, REJECT
from neat_delta.tables import ORIGIN_PROPERTY
from neat_delta.tables.field_types import type_named
from neat_delta.tables.formula_text import escaped_text

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet

# By ECMA-376.
MOST_ROWS, LONGEST = 1_048_575, 32_767
WHAT = {ADD: "new item", REMOVE: "to delete", RECODE: "new SKU"}
# Tints of the Okabe–Ito blue and orange, dark text on them readable in grey as well.
TAKEN, LEFT, STOP, WARN, HEAD, DIM = "#CCE3F0", "#F6E3C0", "#F3D3BF", "#FBF0C8", "#E8E6E1", "#6B6B6B"
WIDTHS = {
    DECISION: 19,
    COMMENT: 14,
    "name": 24,
    FIELD: 12,
    "was": 13,
    "now": 13,
    "difference": 11,
    "per cent": 9,
    "calculated from": 28,
}
OTHERS_WIDE, LOOK_WIDE = 10, 60
# In points; a row can be about 400 high.
LINE_HEIGHT, MOST_LINES = 15, 27
SOURCE = "calculated from"


def review_workbook(part: ChangeSet, whole: ChangeSet, *, by_item: bool = False) -> bytes:
    """An XLSX workbook with a row for each change of a part of a change set, or for each item.

    Raises:
        WriteError: there are more rows than a workbook holds.
    """
    import xlsxwriter

    rows = _by_item(part) if by_item else _by_cell(part)
    if len(rows) > MOST_ROWS:
        raise WriteError(
            f"a workbook holds {MOST_ROWS:,} rows; this needs {len(rows):,}",
            hint="Select a part of the change set, or one row per item.",
            code="too-many-rows",
        )
    stream = io.BytesIO()
    book = xlsxwriter.Workbook(stream, {"strings_to_formulas": False, "strings_to_urls": False, "in_memory": True})
    book.set_custom_property(ORIGIN_PROPERTY, sha256_hex(dump_changes(whole)))
    _review_sheet(book, part, rows)
    _totals_sheet(book, rows)
    book.close()
    return stream.getvalue()


def _by_cell(changes: ChangeSet) -> list[dict[str, Any]]:
    """A row for each changed cell, largest moves first, then one for each new, removed or recoded item."""
    looks, names = _looks(changes), dict(changes.items.select("key", "name").iter_rows())
    inputs = computed_from(changes.findings)
    rows = []
    for cell in sort_by_impact(changes).iter_rows(named=True):
        note = changes.head.fields[cell["field"]]
        plain = type_named(note.type).numeric or note.type in ("date", "yes/no") or None in (cell["was"], cell["now"])
        rows.append(
            {
                "key": cell["key"],
                "name": names.get(cell["key"]),
                FIELD: cell["field"],
                "was": cell["was"],
                "now": cell["now"],
                **_moved(cell["before"], cell["after"]),
                **({SOURCE: inputs.get((cell["key"], cell["field"]))} if inputs else {}),
                "problems": looks.get((cell["key"], cell["field"])) or looks.get((cell["key"], None)),
                "pieces": None if plain else pieces(cell["was"], cell["now"], note.separator),
            }
        )
    return rows + _whole_items(changes, looks)


def _moved(before: str | None, after: str | None) -> dict[str, Decimal | None]:
    """A number's difference, and its share of the old one, as numbers, which a sheet shows in the reader's form."""
    if before is None or after is None or Decimal(before) == Decimal(after):
        return {"difference": None, "per cent": None}
    old, new = Decimal(before), Decimal(after)
    return {"difference": new - old, "per cent": (new - old) / abs(old) if old else None}


def _by_item(changes: ChangeSet) -> list[dict[str, Any]]:
    """A row for each item, with all that changes of it."""
    looks, names = _looks(changes), dict(changes.items.select("key", "name").iter_rows())
    by_key: dict[str, dict[str, Any]] = {}
    for key, field, was, now in sort_by_impact(changes).select("key", "field", "was", "now").iter_rows():
        row = by_key.setdefault(key, {"key": key, "name": names.get(key), "changes": [], "problems": []})
        row["changes"].append(f"{field}: {was or '–'} → {now or '–'}")
        row["problems"].append(looks.get((key, field)))
    for key, row in by_key.items():
        row["changes"] = "\n".join(row["changes"])
        message = [*row["problems"], looks.get((key, None))]
        row["problems"] = "\n".join(dict.fromkeys(filter(None, message))) or None
    others = [row | {"changes": row["now"]} for row in _whole_items(changes, looks) if row["key"] not in by_key]
    return [*by_key.values(), *({name: row[name] for name in ("key", "name", "changes", "problems")} for row in others)]


def _whole_items(changes: ChangeSet, looks: dict[tuple[str, str | None], str]) -> list[dict[str, Any]]:
    """A row for each item that is taken or left as a whole."""
    items = changes.items.filter(pl.col("action").is_in(list(WHAT)))
    return [
        {
            "key": key,
            "name": name,
            FIELD: None,
            "was": None,
            "now": f"{WHAT[do]} {to}" if to else WHAT[do],
            "difference": None,
            "per cent": None,
            SOURCE: None,
            "problems": looks.get((key, None)),
            "pieces": None,
        }
        for key, name, do, to in items.select("key", "name", "action", "new_key").iter_rows()
    ]


def _looks(changes: ChangeSet) -> dict[tuple[str, str | None], str]:
    """What a person should look at, by item and field."""
    problems = changes.findings.filter(pl.col("level").is_in(["error", "warning"])).drop_nulls("key")
    sentence = pl.concat_str("level", pl.lit(", "), "code", pl.lit(": "), "message")
    message = problems.sort("level").group_by("key", "field", maintain_order=True).agg(sentence.str.join("\n"))
    return {(key, field): say for key, field, say in message.iter_rows()}


def _review_sheet(book: Any, changes: ChangeSet, rows: list[dict[str, Any]]) -> None:
    sheet = book.add_worksheet(BOOK_SHEET)
    head = book.add_format({"bold": True, "bg_color": HEAD, "bottom": 1, "num_format": "@"})
    text = book.add_format({"num_format": "@", "valign": "top"})
    folded = book.add_format({"num_format": "@", "valign": "top", "text_wrap": True})
    looks: dict[str, dict[str, Any]] = {
        "now": {"bold": True, "text_wrap": True},
        "was number": {"align": "right", "font_color": DIM},
        "now number": {"align": "right", "bold": True},
        "changes": {"text_wrap": True},
        "text": {"text_wrap": True},
        "warning": {"bg_color": WARN, "text_wrap": True},
        "error": {"bg_color": STOP, "text_wrap": True},
    }
    styles = {name: book.add_format({"num_format": "@", "valign": "top"} | look) for name, look in looks.items()}
    styles["difference"] = book.add_format({"align": "right", "valign": "top", "num_format": "+#,##0.####;-#,##0.####"})
    styles["per cent"] = book.add_format({"align": "right", "valign": "top", "num_format": "+0.0%;-0.0%"})
    styles["went"] = book.add_format({"font_color": DIM, "font_strikeout": True})
    styles["came"] = book.add_format({"bold": True})
    columns = [name for name in (rows[0] if rows else {"key": 0, "name": 0}) if name not in ("key", "pieces")]
    front = [DECISION, COMMENT, *changes.head.key]
    headers = [*front, *columns]
    for at, name in enumerate(headers):
        wide = LOOK_WIDE if name in ("problems", "changes") else WIDTHS.get(name, OTHERS_WIDE)
        sheet.set_column(at, at, wide, folded if name in ("problems", "changes", "was", "now") else text)
        sheet.write_string(0, at, name, head)
    keys = key_parts(pl.Series([row["key"] for row in rows], dtype=pl.String), changes.head.key)
    for at, (row, codes) in enumerate(zip(rows, keys.iter_rows(), strict=True), start=1):
        for place, code in enumerate(codes, start=2):
            sheet.write_string(at, place, escaped_text(code or ""), text)
        if "changes" in row:
            # (No program finds the height of such a row by itself when it prints.)
            lines = max(_lines(row["changes"]), _lines(row["problems"] or ""))
            sheet.set_row(at, LINE_HEIGHT * min(MOST_LINES, lines))
        for place, name in enumerate(columns, start=len(front)):
            _write(sheet, at, place, name, row, styles, text)
    last = max(1, len(rows))
    sheet.data_validation(
        1, 0, last, 0, {"validate": "list", "source": [ACCEPT, REJECT], "error_message": "accept or reject"}
    )
    for word, colour in ((ACCEPT, TAKEN), (REJECT, LEFT)):
        formats = {
            "type": "formula",
            "criteria": f'=LOWER(TRIM($A2))="{word}"',
            "format": book.add_format({"bg_color": colour}),
        }
        sheet.conditional_format(1, 0, last, len(headers) - 1, formats)
    sheet.freeze_panes(1, 2)
    sheet.autofilter(0, 0, last, len(headers) - 1)
    sheet.ignore_errors({"number_stored_as_text": "A1:XFD1048576"})
    sheet.set_landscape()
    sheet.repeat_rows(0)
    sheet.fit_to_pages(1, 0)


def _write(sheet: Any, at: int, place: int, name: str, row: dict[str, Any], styles: dict[str, Any], text: Any) -> None:
    if row[name] is None:
        return
    if isinstance(row[name], Decimal):
        sheet.write_number(at, place, float(row[name]), styles[name])
        return
    value = escaped_text(row[name])
    if len(value) > LONGEST:
        value = value[: LONGEST - 1] + "…"
    parts = row.get("pieces")
    side = {"was": WENT, "now": "came"}.get(name)
    if side and parts and any(part.what == SAME for part in parts) and len(row[name]) <= LONGEST:
        shown = [part for part in parts if part.what in (SAME, side)]
        runs = [run for part in shown for run in ((part.text,) if part.what == SAME else (styles[side], part.text))]
        if len(runs) > 2 and value == row[name]:
            sheet.write_rich_string(at, place, *runs, styles["text"])
            return
    sheet.write_string(at, place, value, styles.get(_style(name, value, row), text))


def _lines(text: str) -> int:
    """About how many lines a text takes in a wide column."""
    return sum(1 + len(line) // LOOK_WIDE for line in text.split("\n"))


def _style(name: str, value: str, row: dict[str, Any]) -> str:
    """Which of the styles a cell has; plain text where there is none of this name."""
    if name == "problems":
        return "error" if value.startswith("error") else "warning"
    if name in ("was", "now") and row["difference"]:
        return f"{name} number"
    return name


def _totals_sheet(book: Any, rows: list[dict[str, Any]]) -> None:
    """How many rows are accepted, rejected and not marked yet, in all and by field, as formulas."""
    sheet = book.add_worksheet("totals")
    head = book.add_format({"bold": True, "bg_color": HEAD, "bottom": 1})
    bold = book.add_format({"bold": True})
    sheet.set_column(0, 0, 24)
    sheet.set_column(1, 4, 14)
    for at, name in enumerate(["", "rows", ACCEPT, REJECT, "not marked"]):
        sheet.write_string(0, at, name, head)
    last = len(rows) + 1
    marks = f"{BOOK_SHEET}!$A$2:$A${last}"
    fields = list(dict.fromkeys(row[FIELD] for row in rows if row.get(FIELD)))
    by_cell = bool(rows) and FIELD in rows[0]
    # The field is behind decision, comment, the key's parts and the name.
    column = chr(ord("A") + 2 + len(rows[0]["key"].split("\x1f")) + 1) if by_cell else ""
    of_field = f"{BOOK_SHEET}!${column}$2:${column}${last}"
    for at, name in enumerate(["all", *(fields if by_cell else [])], start=1):
        sheet.write_string(at, 0, name, bold if at == 1 else None)
        if at == 1:
            total, tests = len(rows), [f'COUNTIF({marks},"{word}")' for word in (ACCEPT, REJECT)]
            sheet.write_formula(at, 1, f"=ROWS({marks})", bold, total)
        else:
            total = sum(row[FIELD] == name for row in rows)
            tests = [f'COUNTIFS({marks},"{word}",{of_field},$A{at + 1})' for word in (ACCEPT, REJECT)]
            sheet.write_formula(at, 1, f"=COUNTIF({of_field},$A{at + 1})", None, total)
        for place, test in enumerate(tests, start=2):
            sheet.write_formula(at, place, f"={test}", None, 0)
        sheet.write_formula(at, 4, f"=B{at + 1}-C{at + 1}-D{at + 1}", None, total)

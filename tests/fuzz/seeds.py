"""Whole files of every kind that the program reads, made from a small shop with the program itself."""

from __future__ import annotations

import gzip
import io
import json
import os
import shutil
import sqlite3
import zipfile
from contextlib import closing, redirect_stderr, redirect_stdout
from pathlib import Path
from unittest.mock import patch

import polars as pl
import xlsxwriter

from neat_delta.approval import approve, save_approval
from neat_delta.changeset.serialization import dump_changes, load_changes
from neat_delta.cli.app import run
from neat_delta.files import zstd
from neat_delta.locations.prefetch import sha256_hex

HEADER = ["sku", "name", "price", "cost", "stock_barn", "active", "added", "tags", "supplier_code", "description"]
CATALOGUE = """\
key = "sku"
[fields.price]
decimals = 2
type = "price"
[fields.tags]
separator = "|"
cells = "add"
[fields.active]
labels = { "1" = "on sale", "0" = "off" }
[fields.name]
length = 60
required = true
[rates]
crown = 0.0871
[checks]
largest_change = 0.6
margin_floor = 0.1
conditions = [ { must = "cost < price", level = "warning", message = "sold at a loss" } ]
[money]
tax = 0.19
[roles]
price = "price"
stock = ["stock_barn"]
[refresh]
difference = ["stock_barn"]
[import]
delimiter = "semicolon"
names = { price = "Price" }
[profiles.pelli]
columns = { "Our no." = "supplier_code" }
match_on = "supplier_code"
set = ["cost = round(file.net * rates.crown, 2)"]
skip = ["description"]
columns_last_time = { "Our no." = "text" }
"""
RUN_FILE = """\
live = "live.csv"
edited = "edited.csv"
catalogue = "catalogue.toml"
to = "inbox"
[limits]
changed = 200
share = 0.9
errors = 10
[mail]
from = "nightly@tansy-and-tallow.example"
to = ["data@tansy-and-tallow.example"]
"""
JOBS_FILE = """\
live = "live.csv"
catalogue = "catalogue.toml"
to = "inbox"
heartbeat = "alive.txt"
metrics = "runs.prom"
keep_days = 30
[[edited_files]]
file = "edited.csv"
[[edited_files]]
file = "semicolons.csv"
set = ["price = price * 1.1"]
preferred = true
[campaign]
from = 2020-01-01T06:00:00
until = 2999-01-01T00:00:00+02:00
[mail]
from = "nightly@tansy-and-tallow.example"
to = "data@tansy-and-tallow.example"
when = ["success"]
"""


def rows(edited: bool = False) -> list[list[str]]:
    """A small catalogue; edited, some of its cells are others."""
    found = [HEADER]
    for at in range(12):
        text = f'<p>Wax "no. {at}", soft;\nfor {at} hives – é</p>' if at % 3 == 0 else f"plain {at}"
        row = [f"KT-{at:04}", f"Jar {at}", f"{at + 4}.90", f"{at + 1}.50", str(at * 7), str(at % 2), f"2026-0{at % 9 + 1}-12",
               "wax|jar" if at % 2 else "", f"P{at:03}", text]  # fmt: skip
        if edited and at % 4 == 1:
            row[2], row[4], row[7] = f"{at + 5}.40", str(at * 7 + 3), "gift"
        found.append(row)
    if edited:
        found[-1][0] = "KT-0099"
    return found


def make(folder: Path) -> dict[str, Path]:
    """All seeds in a folder, by their names."""
    folder.mkdir(parents=True, exist_ok=True)
    _tables(folder)
    _own_files(folder)
    return {path.name: path for path in sorted(folder.iterdir()) if path.is_file()}


def _csv(table: list[list[str]], sign: str = ",") -> bytes:
    cell = lambda text: '"' + text.replace('"', '""') + '"' if set(text) & {sign, '"', "\n"} else text  # noqa: E731
    return "".join(sign.join(map(cell, row)) + "\n" for row in table).encode()


def _tables(folder: Path) -> None:
    live, edited = rows(), rows(edited=True)
    (folder / "live.csv").write_bytes(_csv(live))
    (folder / "edited.csv").write_bytes(_csv(edited))
    (folder / "semicolons.csv").write_bytes(_csv(edited, ";").decode().replace("\n", "\r\n").encode("cp1252"))
    (folder / "utf16.csv").write_bytes(_csv(edited, "\t").decode().encode("utf-16"))
    (folder / "edited.csv.gz").write_bytes(gzip.compress(_csv(edited), mtime=0))
    (folder / "edited.csv.zst").write_bytes(zstd.compress(_csv(edited)))
    with zipfile.ZipFile(folder / "edited.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("edited.csv", _csv(edited))
    with zipfile.ZipFile(folder / "parts.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("out/part-1.csv", _csv(edited[:7]))
        archive.writestr("out/part-2.csv", _csv([HEADER, *edited[7:]], ";").decode().encode("cp1252"))
    columns = {name: [row[at] for row in edited[1:]] for at, name in enumerate(HEADER)}
    frame = pl.DataFrame(columns).with_columns(pl.col("price").cast(pl.Decimal(10, 2)), pl.col("added").str.to_date())
    frame.write_parquet(folder / "edited.parquet")
    with closing(sqlite3.connect(":memory:")) as base:
        base.execute(f"CREATE TABLE items ({', '.join(HEADER)})")
        base.executemany(f"INSERT INTO items VALUES ({', '.join('?' * len(HEADER))})", edited[1:])
        base.commit()
        (folder / "shop.db").write_bytes(base.serialize())
    named = [dict(zip(HEADER, row, strict=True)) for row in edited[1:]]
    (folder / "edited.jsonl").write_text("\n".join(map(json.dumps, named)) + "\n")
    items = "".join("<item>" + "".join(f"<{k}>{_xml(v)}</{k}>" for k, v in row.items()) + "</item>" for row in named)
    (folder / "edited.xml").write_text(f'<?xml version="1.0"?>\n<items>{items}</items>')
    _workbook(folder / "edited.xlsx", edited)
    _ods(folder / "edited.ods", edited)
    (folder / "supplier.csv").write_bytes(
        _csv([["Our no.", "net"], *([f"P{at:03}", f"{at * 10 + 20}.25"] for at in range(12))])
    )
    (folder / "codes.csv").write_text("old,new\nKT-0001,KX-0001\nKT-0002,KX-0002\n")
    (folder / "quotes.csv").write_text("quote,sku,price,quantity\nQ1,KT-0001,5.00,3\nQ2,KT-0004,6.00,1\n")
    (folder / "report.csv").write_text("sku,result,reason\nKT-0001,failed,no such tax\nKT-0005,ok,\n")
    (folder / "mapping.csv").write_text("theirs,ours\nP001,KT-0001\n")
    (folder / "items.txt").write_text("KT-0001\nKT-0005\n")
    (folder / "catalogue.toml").write_text(CATALOGUE)
    (folder / "run.toml").write_text(RUN_FILE)
    (folder / "jobs.toml").write_text(JOBS_FILE)
    (folder / "jobs.campaign.json").write_text(
        '{"begins":"2020-01-01T06:00:00Z","ends":"2998-12-31T22:00:00Z","sent":["jobs-2026-01-01T000000Z"],'
        '"started":"2026-01-01T00:00:00Z","ended":null}'
    )


def _xml(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace('"', "&quot;")


def _workbook(path: Path, table: list[list[str]]) -> None:
    book = xlsxwriter.Workbook(str(path))
    padded, day = book.add_format({"num_format": "0000"}), book.add_format({"num_format": "yyyy-mm-dd"})
    sheet = book.add_worksheet("items")
    for at, row in enumerate(table):
        for column, text in enumerate(row):
            if at and column in (2, 3, 4):
                sheet.write_number(at, column, float(text), padded if column == 4 else None)
            else:
                sheet.write_string(at, column, text)
    sheet.write_formula(2, 2, "=C3*1.1", None, 9.9)
    sheet.write_formula(3, 2, "=1/0", None, "#DIV/0!")
    sheet.write_number(4, 6, 46000.5, day)
    sheet.write_boolean(5, 5, True)
    book.add_worksheet("notes").write_string(0, 0, "not a table")
    book.close()


def _ods(path: Path, table: list[list[str]]) -> None:
    spaces = " ".join(
        f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
    )
    cell = '<table:table-cell office:value-type="string"><text:p>{}</text:p></table:table-cell>'
    padded = '<table:table-cell office:value-type="float" office:value="7"><text:p>007</text:p></table:table-cell>'
    failed = '<table:table-cell table:formula="of:=1/0" office:value-type="string" office:string-value=""><text:p>#DIV/0!</text:p></table:table-cell>'
    lines = [[cell.format(_xml(text)) for text in row] for row in table]
    lines[3][4], lines[4][3] = padded, failed
    body = "".join(f"<table:table-row>{''.join(row)}</table:table-row>" for row in lines)
    content = (
        f'<?xml version="1.0"?><office:document-content {spaces} office:version="1.3"><office:body><office:spreadsheet>'
        f'<table:table table:name="items">{body}<table:table-row table:number-rows-repeated="3"><table:table-cell '
        'table:number-columns-repeated="10"/></table:table-row></table:table></office:spreadsheet></office:body>'
        "</office:document-content>"
    )
    manifest = (
        '<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
        '<manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>'
        '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>'
    )
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet", zipfile.ZIP_STORED)
        archive.writestr("content.xml", content)
        archive.writestr("META-INF/manifest.xml", manifest)


def _own_files(folder: Path) -> None:
    """Our own files, made by the commands that make them."""
    here = Path.cwd()
    work = folder / "work"
    shutil.copytree(folder, work)
    (work / "inbox").mkdir()
    os.chdir(work)
    try:
        for line in (
            "compare live.csv edited.csv -o c.changes.jsonl",
            "compare live.csv edited.csv -o new.changes.jsonl --add-new --delete-missing 9",
            "recode live.csv codes.csv -o recode.changes.jsonl",
            "adjust live.csv --set price=price*1.05 -o adjust.changes.jsonl",
            "write c.changes.jsonl -o up --live live.csv",
            "preview c.changes.jsonl --live live.csv --review review.xlsx",
            "sheet live.csv -o sheet.xlsx",
            "send up --to inbox",
            "refresh c.changes.jsonl fresh.csv -o r.changes.jsonl --conflicts conflicts.xlsx",
        ):
            if line.startswith("refresh"):
                moved = rows()
                moved[2][2] = "99.00"
                (work / "fresh.csv").write_bytes(_csv(moved))
            code, _, said = quietly(line.split())
            assert code in (0, 1), (line, code, said)
        for made in ("c.changes.jsonl", "new.changes.jsonl", "recode.changes.jsonl", "adjust.changes.jsonl", "review.xlsx",
                     "sheet.xlsx", "conflicts.xlsx", "fresh.csv", "up/receipt.json", "history.sqlite"):  # fmt: skip
            shutil.copy(work / made, folder / made.rpartition("/")[2])
        changes = load_changes(work / "c.changes.jsonl")
        rows_of = changes.cells.select("key", "field").rows()
        decisions = [{"item": [key], "field": field, "decision": "accept", "comment": "ö"} for key, field in rows_of]
        head = {"neat_delta": 2, "kind": "decisions", "changes": sha256_hex(dump_changes(changes))}
        (folder / "c.decisions.json").write_text(json.dumps(head | {"decisions": decisions}))
        with patch.dict(os.environ, {"NEAT_DELTA_APPROVAL_SECRET": "a secret of sixteen letters"}):
            save_approval(approve(changes, "c.changes.jsonl", "Anna", "fine", 9999), folder / "some.approval.json")
        shutil.rmtree(folder / "update", ignore_errors=True)
        shutil.copytree(work / "up", folder / "update")
        kept = next((work / "exports").glob("*.zst"))
        shutil.copy(kept, folder / "kept.zst")
        (folder / "kept.name").write_text(kept.name)
    finally:
        os.chdir(here)
        shutil.rmtree(work)


def quietly(words: list[str]) -> tuple[int, str, str]:
    """Run a command in this process: its exit code, and what it printed."""
    out, err = io.TextIOWrapper(io.BytesIO(), "utf-8"), io.TextIOWrapper(io.BytesIO(), "utf-8")
    with redirect_stdout(out), redirect_stderr(err):
        try:
            code = run(words)
        except SystemExit as left:
            code = int(left.code or 0)
    texts = []
    for stream in (out, err):
        stream.flush()
        texts.append(stream.buffer.getvalue().decode("utf-8", "replace"))  # type: ignore[attr-defined]
    return code, texts[0], texts[1]

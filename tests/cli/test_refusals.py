"""What cannot be done with these files and settings is said with its reason, and nothing is written."""

import json
import zipfile

import pytest

from helpers import names_in, neat_delta, write_table

LIVE = [
    ["sku", "loc", "name", "price", "tags"],
    ["A", "1", "a", "1.00", "wax|jar"],
    ["A2", "1", "b", "2.00", ""],
    ["B", "1", "c", "3.00", "jar"],
]


@pytest.fixture
def work(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "edited.csv", [LIVE[0], ["A", "1", "x", "1.10", "wax|jar"], LIVE[2]])
    write_table(tmp_path / "codes.csv", [["old", "new"], ["A", "X"]])
    write_table(tmp_path / "quotes.csv", [["order", "what"], ["1", "2"]])
    write_table(tmp_path / "supplier.csv", [["no", "labels"], ["A", "jar | Wachs"], ["B", "Wachs"]])
    return tmp_path


@pytest.mark.parametrize(
    ("command", "settings", "reason"),
    [
        ("recode live.csv codes.csv --write up --format jsonl", "", "Use --format delimited, tsv, xlsx or parquet."),
        ("recode live.csv codes.csv --write up --key sku --key loc", "", "a key of several columns cannot be changed"),
        ("compare live.csv edited.csv --write up --key sku --key sku", "", "this field is given twice"),
        (
            "compare live.csv edited.csv --write up",
            '[import]\nnames = { price = "name" }',
            "the fields name and price would have the same column name. Change names in [import]",
        ),
        (
            "compare live.csv edited.csv --write up",
            '[import]\nnames = { colour = "farbe" }',
            "column colour: names of [import] in catalogue.toml has a field that is not in the live export",
        ),
        (
            "compare live.csv edited.csv --write up --delete-missing 1",
            '[import]\ninstead_of_removal = { colour = "0" }',
            "there is no field colour. Fields: sku, loc, name, price, tags.",
        ),
        (
            "compare live.csv edited.csv --write up",
            "[checks]\nconditions = [ { must = 'price > ' } ]",
            "rule 'price > ' in catalogue.toml",
        ),
        (
            "compare live.csv edited.csv --write up",
            "[checks]\nconditions = [ { must = 'price + 1' } ]",
            "Write one such as: sale_price < price",
        ),
        ("compare live.csv secret.zip --write up", "", "the zip archive has a password. Unpack it"),
        ("compare live.csv book.xlsx --write up", "", "XLSB"),
    ],
)
def test_what_cannot_be_is_said_with_its_reason(work, command, settings, reason):
    (work / "catalogue.toml").write_text(settings)
    with zipfile.ZipFile(work / "secret.zip", "w") as archive:
        archive.writestr("edited.csv", "sku\nA\n")
    # The sign of an encrypted member, at its own place and in the directory.
    data = bytearray((work / "secret.zip").read_bytes())
    data[6] |= 1
    data[data.index(b"PK\x01\x02") + 8] |= 1
    (work / "secret.zip").write_bytes(data)
    with zipfile.ZipFile(work / "book.xlsx", "w") as archive:
        archive.writestr("[Content_Types].xml", "<Types/>")
        archive.writestr("xl/workbook.bin", b"\x83\x01\x00")
    before = names_in(work)

    done = neat_delta(*command.split(), cwd=work)

    assert reason in done.stderr, done
    assert done.returncode in (2, 3)
    assert names_in(work) - before <= {"history.sqlite", "exports"}


def test_quotes_without_their_columns_are_refused_with_those_found(work):
    neat_delta("compare", "live.csv", "edited.csv", "--out", "c.jsonl", cwd=work)
    done = neat_delta("preview", "c.jsonl", "--quotes", "quotes.csv", cwd=work)

    assert done.returncode in (2, 3)
    assert "no column found for the SKU (sku) and the price. Name its columns" in done.stderr


def test_values_of_a_supplier_are_ours_also_in_a_cell_that_holds_several(work):
    (work / "catalogue.toml").write_text(
        '[fields.tags]\nseparator = "|"\n[profiles.s]\ncolumns = { no = "sku", labels = "tags" }\n'
        '[profiles.s.values.tags]\nWachs = "wax"\n'
    )
    done = neat_delta("compare", "live.csv", "supplier.csv", "--profile", "s", "--out", "c.jsonl", cwd=work)

    items = [json.loads(line) for line in (work / "c.jsonl").read_text().splitlines()[1:]]
    cells = {item["key"][0]: item["cells"] for item in items if item["action"] == "change"}
    assert cells == {"B": {"tags": {"was": "jar", "now": "wax"}}}, done.stdout

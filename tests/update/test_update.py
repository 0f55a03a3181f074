import json
from dataclasses import replace

import polars as pl
import pytest

from helpers import read_rows, update_files, write_table
from neat_delta.base.errors import LiveMismatch, ProofFailed, WriteError
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair, read_table
from neat_delta.tables.settings import ImportConfig, Settings
from neat_delta.update import WriteOptions, files, write
from neat_delta.update.import_format import DELIMITED, PARQUET, TABBED, WORKBOOK
from neat_delta.update.record_formats import RECORDS
from neat_delta.workflows.option_groups import OUTPUT_FORMATS

LIVE = [["sku", "Name", "Price", "Stock"], ["A", "a", "1,00", "1"], ["B", "ö;b", "2,00", "2"], ["C", "c", "3,00", "3"]]
EDITED = [["sku", "Name", "Price", "Stock"], ["A", "a", "1,10", ""], ["B", "é b", "2,00", "2"], ["C", "c", "3,30", "3"]]

# Each set of fields in a file of its own, which is the easiest to foretell.
write_update = write.write_update


@pytest.fixture
def shop(tmp_path):
    a = write_table(tmp_path / "live.csv", LIVE, delimiter=";", charset="cp1252", line_end="\r\n")
    b = write_table(tmp_path / "edited.csv", EDITED, delimiter=";")
    live, edited = read_pair(a, b)
    return live, compare(live, edited, CompareOptions(clear_blanks=True)).changes


def test_only_what_changes_is_written_in_the_form_of_the_live_export(tmp_path, shop):
    live, changes = shop
    write_update(changes, live, tmp_path / "up")

    assert [path.read_bytes() for path in update_files(tmp_path / "up")] == [
        b"sku;Name\r\nB;\xe9 b\r\n",
        b"sku;Price\r\nC;3,30\r\n",
        b"sku;Price;Stock\r\nA;1,10;\r\n",
    ]
    assert (tmp_path / "up/undo/03-changes.csv").read_bytes() == b"sku;Price;Stock\r\nA;1,00;1\r\n"


def test_the_receipt_lists_every_file_by_its_fingerprint(tmp_path, shop):
    live, changes = shop
    write_update(changes, live, tmp_path / "up")

    receipt = json.loads((tmp_path / "up/receipt.json").read_text())
    for listed, folder in ((receipt["files"], tmp_path / "up"), (receipt["undo"], tmp_path / "up/undo")):
        assert [f["file"] for f in listed] == [path.name for path in update_files(folder)]
        for f in listed:
            written = read_table(folder / f["file"])
            assert (f["sha256"], f["rows"]) == (written.source.sha256, len(written))
            assert f["bytes"] == (folder / f["file"]).stat().st_size
    assert receipt["live"]["sha256"] == live.source.sha256
    assert receipt["proof"]["verdict"] == "proved"
    assert receipt["changes"]["cells"] == 4


def test_another_live_export_is_refused(tmp_path, shop):
    _, changes = shop
    other = read_table(write_table(tmp_path / "other.csv", LIVE, delimiter=";"))

    with pytest.raises(LiveMismatch, match="this change set was made from another export"):
        write_update(changes, other, tmp_path / "up")


@pytest.mark.parametrize(
    ("spoil", "reason"),
    [
        (lambda data: data.replace(b"3,30", b"3,33"), "'3,33' and should become '3,30'"),
        (lambda data: data.replace(b"C;", b"B;"), "unexpected cell"),
        (lambda data: data.replace(b"C;", b"X;"), "not in the change set"),
        (lambda data: data + b"C;3,30\r\n", "or twice"),
        (lambda data: data.replace(b"Price", b"Preis"), "unexpected column"),
        (lambda data: data + b"D\r\n", "cannot be read back"),
        (lambda data: data.split(b"\r\n")[0] + b"\r\n", "should become"),
    ],
)
def test_a_spoilt_file_fails_the_proof_and_leaves_nothing(tmp_path, shop, monkeypatch, spoil, reason):
    live, changes = shop
    honest = files.delimited
    monkeypatch.setattr(files, "delimited", lambda cells, form: _spoilt(honest(cells, form), spoil))

    with pytest.raises(ProofFailed, match=reason):
        write_update(changes, live, tmp_path / "up")

    assert sorted(path.name for path in tmp_path.iterdir()) == ["edited.csv", "live.csv"]


def _spoilt(data, spoil):
    return spoil(data) if b"3,30" in data else data


def test_an_undo_that_goes_wrong_fails_the_proof_too(tmp_path, shop, monkeypatch):
    live, changes = shop
    honest = files.delimited
    monkeypatch.setattr(files, "delimited", lambda cells, form: honest(cells, form).replace(b"3,00", b"3,01"))

    with pytest.raises(ProofFailed, match=r"live\.csv, column Price, value 'C': the undo would go wrong"):
        write_update(changes, live, tmp_path / "up")


def test_a_change_set_altered_by_hand_fails_the_proof(tmp_path, shop):
    live, changes = shop
    altered = changes.cells.with_columns(was=pl.when(pl.col("was") == "3,00").then(pl.lit("9,00")).otherwise("was"))

    with pytest.raises(ProofFailed, match="has '9,00' as the old value, but the live export has '3,00'"):
        write_update(replace(changes, cells=altered), live, tmp_path / "up")


def test_an_earlier_update_is_replaced_only_when_told_and_strangers_never(tmp_path, shop):
    live, changes = shop
    write_update(changes, live, tmp_path / "up")
    before = (tmp_path / "up/receipt.json").read_bytes()
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine/notes.txt").write_text("mine")

    with pytest.raises(WriteError, match="or allow it to be overwritten"):
        write_update(changes, live, tmp_path / "up")
    with pytest.raises(WriteError, match="not empty"):
        write_update(changes, live, tmp_path / "mine", options=WriteOptions(overwrite=True))
    with pytest.raises(WriteError, match="a file, not a folder"):
        write_update(changes, live, tmp_path / "live.csv", options=WriteOptions(overwrite=True))

    assert (tmp_path / "up/receipt.json").read_bytes() == before
    write_update(changes, live, tmp_path / "up", options=WriteOptions(overwrite=True))
    assert len(update_files(tmp_path / "up")) == 3
    assert sorted(path.name for path in tmp_path.iterdir()) == ["edited.csv", "live.csv", "mine", "up"]


def test_nothing_to_change_writes_nothing(tmp_path):
    a = write_table(tmp_path / "live.csv", LIVE)
    live, edited = read_pair(a, a)

    assert write_update(compare(live, edited).changes, live, tmp_path / "up") is None
    assert not (tmp_path / "up").exists()


def imported_by_rules(table, files, delimiter, marker):
    """A shop for which a blank leaves a field alone, a marker empties it, and numbers have a decimal comma."""
    header, *rows = [list(row) for row in table]
    items = {row[0]: row for row in rows}
    for path in files:
        columns, *changes = read_rows(path, delimiter=delimiter)
        assert {"sku", "Kind"} <= set(columns)
        for change in changes:
            for column, cell in zip(columns, change, strict=True):
                at = header.index(column)
                taken = cell.replace(",", ".") if column == "Price" else cell
                if cell:
                    items[change[0]][at] = "" if cell == marker else taken
    return [header, *rows]


def test_the_import_as_it_is_settled(tmp_path):
    live = [["sku", "Kind", "Price", "Note"], *([f"S{at}", "simple", f"{at}.50", "old"] for at in range(1, 30))]
    edited = [live[0], *([sku, kind, f"{price[:-1]}5", "" if at % 2 else note] for at, (sku, kind, price, note) in
              enumerate(live[1:]))]  # fmt: skip
    ours, theirs = read_pair(write_table(tmp_path / "live.csv", live), write_table(tmp_path / "edited.csv", edited))
    rules = ImportConfig(";", "utf-16-le", ",", "leaves", "(none)", ("kind",), rows=6)
    changes = compare(ours, theirs, CompareOptions(clear_blanks=True)).changes

    receipt = write_update(changes, ours, tmp_path / "up", Settings(imports=rules))

    files, undo = update_files(tmp_path / "up"), update_files(tmp_path / "up/undo")
    assert files[0].read_bytes().decode("utf-16-le").splitlines()[:2] == [
        "sku;Kind;Price;Note",
        "S1;simple;1,55;",
    ]
    assert [written.rows for written in receipt.files] == [5, 5, 5, 5, 5, 4]
    assert receipt.filled == {"kind": 29}
    for path in (*files, *undo):
        path.write_text(path.read_bytes().decode("utf-16-le"), "utf-8", newline="")
    got = imported_by_rules(live, files, ";", "(none)")
    assert got == edited
    assert imported_by_rules(got, undo, ";", "(none)") == live


def test_parts_keep_to_the_size_and_a_row_that_is_too_large_is_named(tmp_path, shop):
    live, changes = shop

    receipt = write_update(changes, live, tmp_path / "up", Settings(imports=ImportConfig(bytes=27)))

    assert all(written.bytes <= 27 for written in (*receipt.files, *receipt.undo))
    with pytest.raises(WriteError, match="one single row is larger than the shop's file limit"):
        write_update(changes, live, tmp_path / "small", Settings(imports=ImportConfig(bytes=15)))


@pytest.mark.parametrize("shape", OUTPUT_FORMATS)
def test_every_form_has_the_decimal_mark_of_the_shops_import(tmp_path, shape):
    a = write_table(tmp_path / "live.csv", [["sku", "price"], ["A", "1.00"]])
    live, edited = read_pair(a, write_table(tmp_path / "edited.csv", [["sku", "price"], ["A", "12.5"]]))
    settled = Settings(imports=ImportConfig(decimal=","))

    write_update(
        compare(live, edited).changes, live, tmp_path / "up", settled, options=WriteOptions(output_format=shape)
    )

    for folder, price in ((tmp_path / "up", "12,50"), (tmp_path / "up/undo", "1,00")):
        (path,) = update_files(folder)
        text = read_table(path).cells(["price"]).item() if shape in ("xlsx", "parquet") else path.read_text()
        # (A number that has a type has no mark.)
        assert (price.replace(",", ".") if shape == "parquet" else price) in text


@pytest.mark.parametrize("shape", OUTPUT_FORMATS)
def test_an_undo_has_nothing_for_items_that_stay_as_they_are(tmp_path, shape):
    a = write_table(tmp_path / "live.csv", [["sku", "note"], ["A", ""], ["B", "b"]])
    b = write_table(tmp_path / "edited.csv", [["sku", "note"], ["A", "new"], ["B", "bb"]])
    live, edited = read_pair(a, b)
    settled = Settings(imports=ImportConfig(blank="leaves"))

    receipt = write_update(
        compare(live, edited).changes, live, tmp_path / "up", settled, options=WriteOptions(output_format=shape)
    )

    assert [(file.action, file.rows) for file in receipt.undo] == [("change", 1)]
    assert receipt.irreversible == 1


def test_what_no_file_can_empty_stays_filled_by_the_undo_and_the_receipt_says_so(tmp_path):
    a = write_table(tmp_path / "live.csv", [["sku", "note"], ["A", ""], ["B", "b"]])
    b = write_table(tmp_path / "edited.csv", [["sku", "note"], ["A", "new"], ["B", "bb"]])
    live, edited = read_pair(a, b)

    receipt = write_update(
        compare(live, edited).changes, live, tmp_path / "up", Settings(imports=ImportConfig(blank="leaves"))
    )

    assert (tmp_path / "up/undo/01-changes.csv").read_text() == "sku,note\nB,b\n"
    assert receipt.as_dict()["cannot"][0]["cells"] == 1


def test_nor_can_a_file_empty_what_was_filled_on_an_item_with_another_code(tmp_path):
    a = write_table(tmp_path / "live.csv", [["sku", "id", "note"], ["A", "1", ""]])
    b = write_table(tmp_path / "edited.csv", [["sku", "id", "note"], ["B", "1", "new"]])
    live, edited = read_pair(a, b)
    settled = Settings(identity="id", imports=ImportConfig(blank="leaves"))

    receipt = write_update(
        compare(live, edited, CompareOptions(settings=settled)).changes, live, tmp_path / "up", settled
    )

    assert [path.name for path in (tmp_path / "up/undo").iterdir()] == ["01-codes.csv"]
    assert receipt.irreversible == 1


def test_parents_come_before_what_names_them(tmp_path):
    live = [["sku", "parent", "näme"], ["A1", "", "a"], ["A2", "A1", "b"]]
    new = [["N1", "N2", "c"], ["N2", "N3", "d"], ["N3", "A1", "e"]]
    a = write_table(tmp_path / "live.csv", live)
    b = write_table(tmp_path / "edited.csv", [*live, *new])
    ours, edited = read_pair(a, b)

    write_update(compare(ours, edited, CompareOptions(add_new=True)).changes, ours, tmp_path / "up")

    assert [row[0] for row in read_rows(tmp_path / "up" / "01-new-items.csv")[1:]] == ["N3", "N2", "N1"]


def test_a_removal_may_be_a_switch_off_instead(tmp_path):
    live = [["sku", "active", "näme"], ["A1", "1", "a"], ["A2", "1", "b"], ["A3", "0", "c"]]
    a, b = write_table(tmp_path / "live.csv", live), write_table(tmp_path / "edited.csv", live[:2])
    ours, edited = read_pair(a, b)
    off = Settings(imports=ImportConfig(instead_of_removal={"active": "0"}))

    changes = compare(ours, edited, CompareOptions(delete_at_most=5, settings=off)).changes
    write_update(changes, ours, tmp_path / "up", off)

    assert read_rows(tmp_path / "up" / "01-changes.csv") == [["sku", "active"], ["A2", "0"]]
    assert read_rows(tmp_path / "up" / "undo" / "01-changes.csv") == [["sku", "active"], ["A2", "1"]]


def test_the_command_line_offers_exactly_the_formats_that_there_are():
    assert set(OUTPUT_FORMATS) == {DELIMITED, TABBED, WORKBOOK, PARQUET, *RECORDS}

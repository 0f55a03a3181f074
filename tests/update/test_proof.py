"""Spoilt files of every sort: the proof must find each, and leave nothing behind."""

from dataclasses import replace

import polars as pl
import pytest

from helpers import write_table
from neat_delta.base.errors import ProofFailed
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.diff.recode import code_pairs, recode
from neat_delta.matching.context import Context
from neat_delta.matching.key import Key
from neat_delta.reading import read_pair, read_table
from neat_delta.tables.settings import Settings
from neat_delta.update import WriteOptions, files
from neat_delta.update.import_format import import_format_of
from neat_delta.update.proof import requested_cells, simulate_import, store_before
from neat_delta.update.write import write_update

LIVE = [["sku", "näme", "price"], ["A", "a", "1.00"], ["B", "b", "2.00"], ["C", "c", "3.00"]]
EDITED = [LIVE[0], ["A", "a", "1.50"], ["B", "", "2.00"], ["N", "new", "9.00"]]


@pytest.fixture
def changes(tmp_path):
    a, b = write_table(tmp_path / "live.csv", LIVE), write_table(tmp_path / "edited.csv", EDITED)
    ours, edited = read_pair(a, b)
    return ours, compare(ours, edited, CompareOptions(clear_blanks=True, add_new=True, delete_at_most=1)).changes


def refuses(tmp_path, live, changes, reason, shape="delimited"):
    before = sorted(path.name for path in tmp_path.iterdir())
    with pytest.raises(ProofFailed, match=reason):
        write_update(changes, live, tmp_path / "up", options=WriteOptions(output_format=shape, strategy="exact"))
    assert sorted(path.name for path in tmp_path.iterdir()) == before


@pytest.mark.parametrize(
    ("action", "key", "reason"),
    [
        ("change", "Z", "an item that is not exactly once in the live export"),
        ("change", "C", "an item that is not exactly once in the live export"),
        ("add", "A", "adds an item that is already in the live export"),
    ],
)
def test_change_sets_about_other_items_than_the_live_export_has(tmp_path, action, key, reason):
    a, b = write_table(tmp_path / "live.csv", [*LIVE, LIVE[3]]), write_table(tmp_path / "edited.csv", EDITED[:3])
    live, sheet = read_pair(a, b)
    changes = compare(live, sheet, CompareOptions(key=["sku"], clear_blanks=True)).changes
    assert changes.items.filter(action="change")["key"].to_list() == ["A", "B"]

    def wrong(frame):
        return frame.with_columns(key=pl.col("key").replace({"A": key}))

    items = wrong(changes.items.filter(pl.col("key") != "C")).with_columns(
        action=pl.when(pl.col("key") == key).then(pl.lit(action)).otherwise("action")
    )
    refuses(tmp_path, live, replace(changes, items=items, cells=wrong(changes.cells)), reason)


@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        (b"N,new,9.00", b"A,new,9.00", "this new item is there already"),
        (b"N,new,9.00", b"M,new,9.00", "an item too many, or too few"),
        (b"N,new,9.00", b"N,new,9.90", "'9.90' and should become '9.00'"),
        (b"N,new,9.00\n", b"", "an item too many, or too few"),
        (b"sku\nC", b"sku\nB", "an item too many, or too few"),
        (b"sku\nC", b"sku\nX", "not in the change set"),
    ],
)
def test_spoilt_new_items_and_removals(tmp_path, changes, monkeypatch, old, new, reason):
    honest = files.delimited
    monkeypatch.setattr(files, "delimited", lambda cells, form: honest(cells, form).replace(old, new))

    refuses(tmp_path, *changes, reason)


@pytest.mark.parametrize(
    ("shape", "old", "new", "reason"),
    [
        ("jsonl", b'"1.50"', b'"1.55"', "'1.55' and should become '1.50'"),
        ("jsonl", b'"A"', b'"X"', "not in the change set"),
        ("jsonl", b"null", b'"b"', "should become ''"),
        ("jsonl", b'{"sku":"A"', b'{"sku":"A', "cannot be read back"),
        ("jsonl", b'"price":"1.50"', b'"cost":"1.50"', "unexpected column"),
        ("merge-patch", b'{"C":null}', b'{"B":null}', "an item too many, or too few"),
        ("merge-patch", b'"N":', b'"A":', "this new item is there already"),
        ("merge-patch", b"null}}", b'"x"}}', "should become ''"),
        ("sql", b"'1.50'", b"'1.55'", "should become '1.50'"),
        ("sql", b"\"price\" = '1.00'", b"\"price\" = '1.01'", "the script fails: CHECK constraint failed"),
        ("sql", b"DELETE FROM", b"DROP FROM", "the script fails"),
        (
            "sql",
            b'UPDATE "items" SET "price"=\'1.50\' WHERE "items"."sku" = \'A\'',
            b"SELECT 1",
            "should become '1.50'",
        ),
    ],
)
def test_spoilt_records_and_scripts(tmp_path, changes, monkeypatch, shape, old, new, reason):
    honest = files.record_file
    monkeypatch.setattr(files, "record_file", lambda lines, form: honest(lines, form).replace(old, new))

    refuses(tmp_path, *changes, reason, shape)


@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        (b"A,tmp-0001", b"A,C", "two items would share a SKU"),
        (b"A,tmp-0001", b"X,tmp-0001", "or there is no such item"),
        (b"tmp-0001,B", b"tmp-0001,D", "an item too many, or too few"),
        (b"new_sku", b"sku_new", "needs exactly the columns of old and new SKU"),
    ],
)
def test_spoilt_code_changes(tmp_path, monkeypatch, old, new, reason):
    live = read_table(write_table(tmp_path / "live.csv", LIVE))
    codes = read_table(write_table(tmp_path / "codes.csv", [["old", "new"], ["A", "B"], ["B", "A"]]))
    key = Key(("sku",), explicit=True)
    seen = recode(codes, Context(live, Settings(), key), code_pairs(codes, key), CompareOptions())
    honest = files.delimited
    monkeypatch.setattr(files, "delimited", lambda cells, form: honest(cells, form).replace(old, new))

    refuses(tmp_path, live, seen.changes, reason)


def imports(tmp_path, changes, live, action, text):
    """What a shop makes of a file that somebody else wrote."""
    path = tmp_path / "by-hand.csv"
    path.write_text(text)
    before = store_before(changes, live, import_format_of(changes, live, Settings()))
    return simulate_import(before, [(path, action)], requested_cells(changes), lambda _: False)


@pytest.mark.parametrize(
    ("lines", "sound"),
    [
        ("A,X B,Y", True),
        ("A,X B,X", False),  # two items with one SKU at last
        ("A,X A,Y", False),
        ("A,B B,A", False),  # at the moment of the first row, two items with one SKU
        ("A,C", False),  # C is an item that nobody touches
        ("N,Y", False),
    ],
)
def test_no_file_of_code_changes_makes_two_items_share_a_code(tmp_path, lines, sound):
    live = read_table(write_table(tmp_path / "live.csv", LIVE))
    codes = read_table(write_table(tmp_path / "codes.csv", [["old", "new"], ["A", "X"], ["B", "Y"]]))
    key = Key(("sku",), explicit=True)
    changes = recode(codes, Context(live, Settings(), key), code_pairs(codes, key), CompareOptions()).changes
    text = "sku,new_sku\n" + "".join(f"{line}\n" for line in lines.split())

    if sound:
        assert imports(tmp_path, changes, live, "recode", text).items["sku"].to_list() == ["X", "Y"]
    else:
        with pytest.raises(ProofFailed, match="two items would share a SKU, or there is no such item"):
            imports(tmp_path, changes, live, "recode", text)


def test_a_blank_that_nobody_asked_for_is_unexpected_though_the_field_is_blank_now(tmp_path):
    """The shop may have filled it meanwhile, and a blank empties a field."""
    rows = [LIVE[0], ["A", "a", ""], ["B", "b", "2.00"]]
    ours, edited = read_pair(
        write_table(tmp_path / "live.csv", rows), write_table(tmp_path / "edited.csv", [rows[0], ["A", "x", ""]])
    )
    changes = compare(ours, edited, CompareOptions()).changes

    with pytest.raises(ProofFailed, match="unexpected cell"):
        imports(tmp_path, changes, ours, "change", "sku,näme,price\nA,x,\n")

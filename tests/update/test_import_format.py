import re

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from helpers import neat_delta, read_rows, update_files, write_table
from neat_delta.base.errors import ProofFailed, WriteError
from neat_delta.diff.compare import compare
from neat_delta.reading import read_pair
from neat_delta.tables import FileFormat
from neat_delta.tables.settings import ImportConfig, Settings
from neat_delta.update import files
from neat_delta.update.delimited import delimited
from neat_delta.update.import_format import ImportFormat, other_mark
from neat_delta.update.write import write_update

numbers = st.from_regex(r"-?(\d{1,3}(,\d{3})*|\d+)(\.\d+)?", fullmatch=True)


@given(st.lists(numbers, min_size=1))
def test_marks_that_change_places_twice_are_as_they_were(cells):
    frame = pl.DataFrame({"n": cells})

    assert frame.select(other_mark(other_mark(pl.col("n")))).to_series().to_list() == cells


@given(
    st.lists(st.none() | numbers, min_size=1),
    st.lists(numbers, min_size=1),
    st.booleans(),
    st.sampled_from([None, "(none)"]),
)
def test_what_is_written_is_what_the_shop_takes(now, before, swapped, marker):
    """Whatever the import's rules, as long as a file can empty a field at all."""
    rules = ImportConfig(blank="leaves" if marker else "empties", marker=marker)
    shop = ImportFormat(rules, FileFormat(), frozenset(["n"] if swapped else []))
    cells = pl.Series("n", now, dtype=pl.String)
    there = pl.Series([before[at % len(before)] for at in range(len(now))])

    written = shop.written(cells.to_frame())["n"].fill_null("")

    assert shop.value_after_import(written, there).to_list() == [cell or "" for cell in now]


OWN_TERMS = """
[import]
names = {sku = "Artikel", price = "Verkaufspreis"}
file_name = "{date}-{id}-{number}-{content}"
[import.constants]
changes = {action = "update"}
new-items = {action = "add", channel = "web"}
"""


def test_the_importers_own_terms_are_written_and_proved(tmp_path):
    write_table(tmp_path / "live.csv", [["sku", "name", "price"], ["A", "Hive", "1.50"], ["B", "Veil", "2.50"]])
    edited = [["sku", "name", "price"], ["A", "Hive", "1.75"], ["B", "Veil", "2.50"], ["N", "Jar", "3.00"]]
    write_table(tmp_path / "edited.csv", edited)
    (tmp_path / "catalogue.toml").write_text(OWN_TERMS)

    done = neat_delta("compare", "live.csv", "edited.csv", "--add-new", "--write", "up", cwd=tmp_path)
    lines = neat_delta("compare", "live.csv", "edited.csv", "--write", "up2", "--format", "jsonl", cwd=tmp_path)

    assert done.returncode == 0, done.stderr
    new, changed = update_files(tmp_path / "up")
    (removed, restored) = sorted((tmp_path / "up" / "undo").iterdir(), key=lambda path: "changes" in path.name)
    assert read_rows(new) == [
        ["Artikel", "name", "Verkaufspreis", "action", "channel"],
        ["N", "Jar", "3.00", "add", "web"],
    ]
    assert read_rows(changed) == [["Artikel", "Verkaufspreis", "action"], ["A", "1.75", "update"]]
    assert read_rows(removed) == [["Artikel"], ["N"]]
    assert read_rows(restored) == [["Artikel", "Verkaufspreis", "action"], ["A", "1.50", "update"]]
    assert re.fullmatch(r"\d{8}-[0-9a-f]{8}-02-changes\.csv", changed.name)
    assert "undo-changes" in restored.name
    assert "constants of [import] need a table format" in lines.stderr


def test_a_constant_that_is_not_in_every_row_or_is_a_column_is_found(tmp_path, monkeypatch):
    a = write_table(tmp_path / "live.csv", [["sku", "price"], ["A", "1.50"]])
    b = write_table(tmp_path / "edited.csv", [["sku", "price"], ["A", "1.75"]])
    live, edited = read_pair(a, b)
    changes = compare(live, edited).changes
    doubled = Settings(imports=ImportConfig(constants={"changes": {"Price": "x"}}))
    sound = Settings(imports=ImportConfig(constants={"changes": {"action": "update"}}))
    monkeypatch.setattr(files, "delimited", lambda cells, form: delimited(cells.with_columns(action=pl.lit("?")), form))

    with pytest.raises(WriteError, match="a constant has the name of a column"):
        write_update(changes, live, tmp_path / "up", doubled)
    with pytest.raises(ProofFailed, match="this column should be 'update' in every row"):
        write_update(changes, live, tmp_path / "up", sound)
    assert not (tmp_path / "up").exists()

"""The public Python API: its page's examples run, its names are what they were, and nothing loads before it is used."""

import re
import subprocess
import sys
from importlib.resources import files
from pathlib import Path

import polars as pl
import pytest

import neat_delta as nd

PAGE = Path(__file__).parents[1] / "docs" / "api.md"


def test_the_examples_of_the_page_run_one_after_another(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "live.csv").write_bytes((files("neat_delta.demo_shop") / "live.csv").read_bytes())
    names = {}

    examples = re.findall(r"^```python\n(.*?)^```", PAGE.read_text("utf-8"), re.MULTILINE | re.DOTALL)
    for number, example in enumerate(examples, start=1):
        exec(compile(example, f"example {number}", "exec"), names)

    assert len(examples) == 5
    assert (tmp_path / "update" / "undo").is_dir()


def test_the_page_tells_every_error_with_its_code():
    table = dict(re.findall(r"^\| `(\w+)` \| `([\w-]+)` \|", PAGE.read_text("utf-8"), re.MULTILINE))

    errors = {
        name for name in nd.__all__ if isinstance(getattr(nd, name), type) and issubclass(getattr(nd, name), Exception)
    }
    assert table == {name: getattr(nd, name).code for name in errors - {"NeatDeltaError"}}


def test_nothing_is_loaded_before_it_is_used():
    code = "import neat_delta, sys; print([m for m in ('polars', 'click', 'neat_delta.api') if m in sys.modules])"

    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout

    assert loaded.strip() == "[]"
    assert set(nd.__all__) <= set(dir(nd))
    with pytest.raises(AttributeError, match="no attribute 'comapre'"):
        nd.comapre  # noqa: B018


def test_a_frame_is_a_table_only_where_its_values_have_an_exact_text():
    frame = pl.DataFrame({"sku": ["A", "B"], "stock": [1, None], "active": [True, False]})

    table = nd.table_from_frame(frame)

    assert table.cells(table.names).rows() == [("A", "1", "1"), ("B", "", "0")]
    with pytest.raises(nd.InvalidInput, match="column price: a column of type Float64 has no exact text"):
        nd.table_from_frame(pl.DataFrame({"sku": ["A"], "price": [1.1]}))


def test_a_file_and_a_frame_of_the_same_cells_give_the_same_change_set(tmp_path):
    (tmp_path / "live.csv").write_text("sku,price\nA,1.00\nB,2.00\n")
    (tmp_path / "edited.csv").write_text("sku,price\nA,1.10\nB,2.00\n")
    live, edited = (nd.read_table(tmp_path / f"{name}.csv") for name in ("live", "edited"))

    read = nd.compare(live, edited)
    made = nd.compare(*(nd.table_from_frame(table.cells(table.names)) for table in (live, edited)))

    assert made.cells.equals(read.cells)
    assert made.counts == read.counts

"""The public Python API: its page's examples run, its names are what they were, and nothing loads before it is used."""

import doctest
import importlib
import inspect
import re
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from importlib.resources import files
from pathlib import Path

import click
import polars as pl
import pytest

import neat_delta as nd
from neat_delta.cli import app

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


LIVE = pl.DataFrame({"sku": ["A", "B"], "price": ["1.00", "2.00"], "stock": ["3", "4"]})
EDITED = pl.DataFrame({"sku": ["A", "B"], "price": ["1.10", "2.00"], "stock": ["3", "x"]})


def test_a_frame_is_a_table_only_where_its_values_have_an_exact_text():
    frame = pl.DataFrame({"sku": ["A", "B"], "stock": [1, None], "active": [True, False]})

    table = nd.read(frame)

    assert table.cells(table.names).rows() == [("A", "1", "1"), ("B", "", "0")]
    with pytest.raises(nd.InvalidInput, match="column price: a column of type Float64 has no exact text"):
        nd.read(pl.DataFrame({"sku": ["A"], "price": [1.1]}))
    with pytest.raises(nd.InvalidInput, match="int is no table"):
        nd.read(3)


class ArrowStream:
    """A frame of some other library, which hands out Arrow data and nothing else."""

    def __init__(self, frame):
        self.frame = frame

    def __arrow_c_stream__(self, requested_schema=None):
        return self.frame.__arrow_c_stream__(requested_schema)


@pytest.mark.parametrize("wrap", [ArrowStream, pl.DataFrame.lazy])
def test_frames_of_other_libraries_are_tables(wrap):
    changes = nd.compare(wrap(LIVE), wrap(EDITED))

    assert changes.cells.rows() == [("A", "price", "1.00", "1.10")]
    assert changes.problems["code"].to_list() == ["unreadable cell"]


def test_a_frame_that_cannot_be_handed_over_says_what_is_missing():
    class LikePandas:
        def __arrow_c_stream__(self, requested_schema=None):
            raise ImportError("Import pyarrow failed")

    with pytest.raises(nd.NotInstalled, match=r"pyarrow.*neat-delta\[pandas\]"):
        nd.compare(LikePandas(), EDITED)


def test_a_file_and_a_frame_of_the_same_cells_give_the_same_change_set(tmp_path):
    LIVE.write_csv(tmp_path / "live.csv")
    EDITED.write_csv(tmp_path / "edited.csv")
    live, edited = (nd.read(tmp_path / f"{name}.csv") for name in ("live", "edited"))

    read = nd.compare(live, edited)
    made = nd.compare(*(table.cells(table.names) for table in (live, edited)))
    paths = nd.compare(str(tmp_path / "live.csv"), tmp_path / "edited.csv")

    assert made.cells.equals(read.cells)
    assert made.counts == read.counts == paths.counts


def test_options_have_the_names_of_the_command_line_and_wrong_ones_are_named():
    compared = set(nd.CompareArguments.__annotations__)
    context = click.Context(app.cli)
    options = {
        name.lstrip("-").replace("-", "_")
        for command in ("compare", "write")
        for param in app.cli.get_command(context, command).params
        for name in param.opts
    }
    renamed = {"types": "type"}  # (a dictionary instead of an option that is repeated)
    assert {renamed.get(name, name) for name in compared} <= options
    assert set(nd.WriteArguments.__annotations__) <= options
    with pytest.raises(TypeError, match="unexpected keyword argument 'ad_new'"):
        nd.compare(LIVE, EDITED, ad_new=True)
    with pytest.raises(nd.InvalidOption, match=r"blanks empty: there is no such choice\. Choose from: leave, clear\."):
        nd.compare(LIVE, EDITED, blanks="empty")
    with pytest.raises(nd.InvalidOption, match="there is no such choice"):
        nd.write(nd.compare(LIVE, EDITED), "nowhere", LIVE, pack="smallest")


def test_parts_updates_and_undo(tmp_path):
    changes = nd.adjust(LIVE, ["price = price * 2", "stock = stock + 1"])

    assert nd.accept(changes, only=["price"], where="price > 1", live=LIVE).cells.rows() == [
        ("B", "price", "2.00", "4.00")
    ]
    assert nd.accept(changes, items=["A"], skip=["stock"]).cells["field"].to_list() == ["price"]
    with pytest.raises(nd.InvalidInput, match="a condition is about the live table"):
        nd.accept(changes, where="price > 1")
    assert nd.write(changes, tmp_path / "up", LIVE, pack="one-file").cells == 4
    assert nd.undo(changes, tmp_path / "back", LIVE).cells == 4
    after = LIVE.with_columns(price=pl.Series(["2.00", "9.00"]), stock=pl.Series(["4", "5"]))
    back = nd.undo(changes, tmp_path / "since", LIVE, fresh=after)
    assert (back.cells, nd.verify(changes, after).done) == (3, False)
    with pytest.raises(nd.WriteError):
        nd.write(changes, tmp_path / "up", LIVE)


def test_settings_may_be_a_file_and_gate_what_is_written_but_not_what_is_undone(tmp_path):
    (tmp_path / "catalogue.toml").write_text('key = "sku"\n[send]\napproval = "any"\n')
    changes = nd.adjust(LIVE, ["price = price * 2"], tmp_path / "catalogue.toml")

    with pytest.raises(nd.NotApproved, match="not approved yet"):
        nd.write(changes, tmp_path / "up", LIVE, tmp_path / "catalogue.toml")
    assert not (tmp_path / "up").exists()
    after = LIVE.with_columns(price=changes.cells["now"])
    for name, fresh in (("back", None), ("since", after)):
        assert nd.undo(changes, tmp_path / name, LIVE, tmp_path / "catalogue.toml", fresh=fresh).cells == 2


def test_threads_may_use_it_at_once(tmp_path, capsys):
    def work(number):
        live = LIVE.with_columns(price=pl.col("price").str.replace("0$", str(number % 10)))
        changes = nd.adjust(live, ["price = price + 1"])
        nd.write(changes, tmp_path / str(number), live)
        return changes.cells["was"].to_list()

    with ThreadPoolExecutor(8) as threads:
        found = list(threads.map(work, range(1, 17)))

    assert found == [[f"1.0{number % 10}", f"2.0{number % 10}"] for number in range(1, 17)]
    assert capsys.readouterr() == ("", "")


def test_threads_may_read_the_first_files_of_a_process_at_once(tmp_path):
    """Polars, loaded before us, takes NumPy in at the first array; each thread that does is held there for a while."""
    (tmp_path / "live.csv").write_text("sku;price\nA1;1.00\nA2;2.00\n", "utf-8")
    (tmp_path / "edited.csv").write_text("sku;price\nA1;1.10\nA2;2.00\n", "utf-8")
    script = (
        "import threading, time, polars\n"
        "from concurrent.futures import ThreadPoolExecutor\n"
        "import neat_delta as nd\n"
        "pauses = iter(range(100))\n"
        "def hold(frame, event, arg):\n"
        "    if frame.f_code.co_name == '_import' and 'polars' in frame.f_code.co_filename:\n"
        "        time.sleep(0.5 + next(pauses) * 0.1)\n"
        "nd.compare\n"
        "threading.settrace(hold)\n"
        "with ThreadPoolExecutor(4) as threads:\n"
        "    found = threads.map(lambda _: nd.compare('live.csv', 'edited.csv').cells['now'].to_list(), range(4))\n"
        "    print(list(found))\n"
    )

    ran = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, cwd=tmp_path, check=False)

    assert (ran.stdout, ran.stderr) == (f"{[['1.10']] * 4}\n", "")


def test_the_examples_of_the_docstrings_are_true():
    modules = [importlib.import_module(f"neat_delta.api.{name}") for name in ("tables", "changes", "files", "views")]
    results = [doctest.testmod(module, optionflags=doctest.NORMALIZE_WHITESPACE) for module in modules]

    assert sum(one.attempted for one in results) > 15
    assert sum(one.failed for one in results) == 0


def test_the_public_surface_is_what_it_was():
    """Whoever changes this changes what programs of others rely on: say so in the list of changes."""
    found = {
        name: ", ".join(inspect.signature(getattr(nd, name)).parameters)
        for name in nd.__all__
        if inspect.isfunction(getattr(nd, name))
    }
    assert found == {
        "accept": "changes, live, settings, items, options",
        "adjust": "live, formulas, settings, options",
        "check": "changes, live, settings, options",
        "combine": "sets, live, settings, options",
        "compare": "live, edited, settings, options",
        "filter_keys": "live, where, settings",
        "history": "what, settings, history, options",
        "inspect": "source, settings, options",
        "load": "path",
        "load_settings": "path",
        "preview": "changes, live, settings, options",
        "read": "source, settings, name, given",
        "recode": "live, new_keys, settings, options",
        "refresh": "changes, fresh, settings, options",
        "send": "folder, to, settings, history, how",
        "sheet": "live, out, settings, options",
        "undo": "changes, folder, live, settings, how",
        "verify": "changes, fresh, settings, options",
        "write": "changes, folder, live, settings, how",
    }
    page = PAGE.read_text("utf-8")
    assert [name for name in found if f"nd.{name}(" not in page and name != "load_settings"] == []


@pytest.mark.parametrize("word", ["their", "Ours", "", "hold back"])
def test_a_wrong_word_for_conflicts_is_refused_and_never_taken_for_another(word):
    changes = nd.adjust(LIVE, ["price = price + 1"])
    for call in (
        lambda: nd.compare(LIVE, LIVE, base=LIVE, on_conflict=word),
        lambda: nd.refresh(changes, LIVE, on_conflict=word),
    ):
        with pytest.raises(nd.InvalidOption, match="nobody can tell whose value goes on"):
            call()


def test_a_profile_may_have_its_format_in_a_table(tmp_path):
    (tmp_path / "catalogue.toml").write_text(
        '[profiles.one]\nworksheet = "second"\n[profiles.two]\nformat = { worksheet = "second" }\n'
    )
    settings = nd.load_settings(tmp_path / "catalogue.toml")
    assert settings.profiles["one"] == settings.profiles["two"]
    assert settings.profiles["two"].format.worksheet == "second"


@pytest.mark.parametrize("fate", ["hold", "ours", "shop"])
def test_a_change_set_has_its_conflicts_also_when_it_was_saved(tmp_path, fate):
    columns = {"sku": ["A", "B", "C"], "price": ["1.00", "2.00", "3.00"], "name": ["a", "b", 'c "x"']}
    base = pl.DataFrame(columns)
    live = base.with_columns(price=pl.Series(["1.50", "2.00", "3.00"]), name=pl.Series(["a", "", 'c "y"']))
    edited = base.with_columns(price=pl.Series(["1.20", "2.00", "3.30"]), name=pl.Series(["a", "bb", 'c "z"']))

    changes = nd.compare(live, edited, base=base, on_conflict=[fate])

    assert changes.conflicts.sort("key", "field").rows() == [
        ("A", "price", "1.00", "1.20", "1.50", fate),
        ("B", "name", "b", "bb", None, fate),
        ("C", "name", 'c "x"', 'c "z"', 'c "y"', fate),
    ]
    changes.save(tmp_path / "c.changes.jsonl")
    assert nd.load(tmp_path / "c.changes.jsonl").conflicts.equals(changes.conflicts)
    assert nd.compare(base, edited).conflicts.is_empty()

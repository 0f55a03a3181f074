"""One job, three doors: command line, Python API and run file give the same for every option, and refuse the same."""

import json
import os
from datetime import datetime, timedelta

import pytest
import tomlkit
import xlsxwriter
from python_calamine import CalamineWorkbook as Workbook

import neat_delta as nd
from helpers import files_in, neat_delta, update_files, write_table
from neat_delta.base.options import options_of
from neat_delta.workflows.compare_options import ComparisonOptions, RoundingOptions
from neat_delta.workflows.requests import AdjustRequest, CompareRequest
from neat_delta.workflows.scheduled.earlier_runs import CHANGES_FILE
from neat_delta.workflows.scheduled.run_config import RunConfig

LIVE = [
    ["sku", "barcode", "name", "price", "cost", "stock", "colour", "size", "code", "image"],
    ["KT-1", "4006381333931", "lid", "10.00", "5.00", "5", "red", "S", "007", "lid-KT-1.jpg"],
    ["KT-2", "4006381333948", "jar", "20.00", "9.00", "6", "blue", "L", "012", "jar.jpg"],
    ["KT-3", "4006381333955", "wax", "30.00", "9.00", "7", "red", "S", "015", "wax.jpg"],
    ["KT-4", "4006381333962", "veil", "40.00", "9.00", "8", "blue", "L", "018", "veil.jpg"],
]
EDITED = [
    ["sku", "barcode", "name", "price", "stock", "shade", "size", "code", "image"],
    ["KT-1", "4006381333931", "Lid", "4.00", "5", "blue", "large", "7", "lid-KT-1.jpg"],
    ["KT-2", "4006381333948", "jar", "21.00", "", "red", "L", "012", "jar-new.jpg"],
    ["X-4", "4006381333962", "veil", "44.00", "8", "blue", "L", "018", "veil.jpg"],
    ["KT-9", "4006381333979", "smoker", "5.00", "1", "red", "S", "021", "smoker.jpg"],
    ["", "4006381333986", "hive tool", "6.00", "2", "red", "S", "022", "tool.jpg"],
]
CATALOGUE = """key = "sku"
[fields.name]
locked = true
[fields.colour]
allowed = ["red", "blue"]
[fields.size]
allowed = ["S", "L"]
[fields.code]
type = "code"
[roles]
cost = "cost"
price = "price"
[profiles.kelp]
skip = ["price"]
set = ["stock = 3"]
"""
# For each option a value, and what has to be given besides for it to have an effect.
SAMPLES = {
    "key": (["barcode"], {}),
    "where": ("price > 15", {}),
    "items": ("items.txt", {}),
    "profile": ("kelp", {}),
    "map": ({"shade": "colour"}, {}),
    "map_by_values": (True, {}),
    "skip": (["price"], {}),
    "match_on": (["barcode"], {}),
    "constant": ({"colour": "blue"}, {}),
    "add": (["stock"], {}),
    "set": (["stock = 4", "price = file.price + 1"], {"profile": "kelp"}),
    "set_new": (["stock = 9"], {"add_new": True}),
    "new_sku": ("KT-{number:2}", {"add_new": True, "match_on": ["barcode"]}),
    "map_code": ({"X-4": "KT-4"}, {}),
    "map_value": ({"size": {"large": "L"}}, {}),
    "map_file": ("codes.csv", {}),
    "table": ({"costs": "costs.csv"}, {"set": ["price = costs.net * 2"]}),
    "table_column": ({"costs": "ours"}, {"set": ["price = costs.net * 2"], "table": {"costs": "costs.csv"}}),
    "on_conflict": (["price=ours"], {"base": "older.csv"}),
    "unlock": (["name"], {}),
    "allow_new_values": (["colour"], {"constant": {"colour": "mauve"}}),
    "as_typed": (["code"], {}),
    "ignore": (["below cost"], {}),
    "allow": (["price=below cost"], {}),
    "images": ("pictures", {}),
    "delimiter": ("comma", {}),
    "encoding": ("windows-1252", {}),
    "decimal": (".", {}),
    "header_line": (1, {}),
    "worksheet": ("second", {}),
    "blanks": ("clear", {}),
    "types": ({"code": "number"}, {}),
    "repair_skus": (True, {}),
    "add_new": (True, {}),
    "delete_missing": (3, {}),
    "sku_changes": ("moves.csv", {}),
    "base": ("older.csv", {}),
}
# What changes nothing with these files (the format is recognised anyway), or is tried with a workbook elsewhere.
WITHOUT_EFFECT = {"map_by_values", "delimiter", "encoding", "decimal", "header_line", "repair_skus", "table_column"}
ELSEWHERE = {"decisions"}


@pytest.fixture
def shop(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "edited.csv", EDITED)
    older = [list(row) for row in LIVE]
    older[1][3], older[2][3] = "9.00", "21.00"
    write_table(tmp_path / "older.csv", older)
    write_table(tmp_path / "codes.csv", [["theirs", "ours"], ["X-4", "KT-4"]])
    write_table(tmp_path / "moves.csv", [["old", "new"], ["KT-4", "X-4"]])
    write_table(tmp_path / "costs.csv", [["ours", "net"], ["KT-1", "7.00"], ["KT-2", "8.00"], ["KT-4", "9.00"]])
    (tmp_path / "items.txt").write_text("KT-2\n")
    (tmp_path / "pictures").mkdir()
    (tmp_path / "pictures" / "lid-KT-1.jpg").touch()
    (tmp_path / "catalogue.toml").write_text(CATALOGUE)
    with xlsxwriter.Workbook(str(tmp_path / "edited.xlsx")) as book:
        for name, price in (("first", "12.00"), ("second", "13.00")):
            sheet = book.add_worksheet(name)
            for at, row in enumerate([["sku", "price"], ["KT-1", price]]):
                sheet.write_row(at, 0, row)
    return tmp_path


def words(options):
    """Options as they are typed."""
    typed = []
    for name, value in options.items():
        told = {**options_of(CompareRequest), **options_of(AdjustRequest)}[name]
        flag = told.names[-1] if told.names else "--" + name.replace("_", "-")
        if value is True:
            typed.append(flag)
        elif isinstance(value, dict) and isinstance(next(iter(value.values())), dict):
            typed += [
                word for field, pairs in value.items() for a, b in pairs.items() for word in (flag, field, f"{a}={b}")
            ]
        elif isinstance(value, dict):
            typed += [word for pair in value.items() for word in (flag, "=".join(pair))]
        else:
            typed += [word for one in (value if isinstance(value, list) else [value]) for word in (flag, str(one))]
    return typed


def said(changes):
    """What a change set says, whatever made it and when."""
    rows = changes.findings.select("code", "level", "effect", "key", "field", "message").rows()
    return changes.cells.rows(), changes.items.rows(), sorted(rows, key=str), changes.counts


def by_command_line(shop, command, files, options):
    done = neat_delta(command, *files, "-o", "typed.changes.jsonl", "--overwrite", *words(options), cwd=shop)
    assert done.returncode in (0, 1), done.stderr
    return said(nd.load("typed.changes.jsonl"))


def by_run_file(shop, head, options):
    (shop / "night.toml").write_text(tomlkit.dumps(head | options))
    done = neat_delta("run", "night.toml", "--dry-run", cwd=shop)
    assert done.returncode in (0, 1), done.stderr
    return said(nd.load(shop / "runs" / latest(shop) / CHANGES_FILE))


def latest(shop):
    return max(path.name for path in (shop / "runs").iterdir() if path.is_dir() and "latest" not in path.name)


def test_each_option_of_compare_is_tried():
    assert set(SAMPLES) | ELSEWHERE == set(options_of(ComparisonOptions))
    at_both = set(options_of(ComparisonOptions)) | set(options_of(RoundingOptions))
    assert at_both <= set(options_of(RunConfig))


@pytest.mark.parametrize("name", SAMPLES)
def test_an_option_of_compare_means_the_same_at_every_door(shop, name):
    value, besides = SAMPLES[name]
    edited = "edited.xlsx" if name == "worksheet" else "edited.csv"
    options = besides | {name: value}

    typed = by_command_line(shop, "compare", ["live.csv", edited], options)
    called = said(nd.compare("live.csv", edited, "catalogue.toml", **options))
    scheduled = by_run_file(shop, {"live": "live.csv", "edited": edited}, options)

    assert typed == called
    assert typed == scheduled
    without = said(nd.compare("live.csv", edited, "catalogue.toml", **besides)) if name != "table" else None
    assert (typed == without) == (name in WITHOUT_EFFECT)


@pytest.mark.parametrize(
    "options",
    [
        {"set": ["price = price * 1.1"], "ending": ".95", "rounding": "up"},
        {"set": ["price = price * 1.1"], "multiple_of": "5", "rounding": "down", "where": "stock > 5"},
        {"set": ["name = 'x'"], "unlock": ["name"], "items": "items.txt"},
        {"set": ["price = costs.net"], "table": {"costs": "costs.csv"}, "table_column": {"costs": "ours"}},
        {"set": ["price = 1"], "ignore": ["below cost"], "key": ["barcode"]},
    ],
    ids=lambda options: "-".join(options),
)
def test_an_option_of_adjust_means_the_same_at_every_door(shop, options):
    formulas = options["set"]
    rest = {name: value for name, value in options.items() if name != "set"}

    typed = by_command_line(shop, "adjust", ["live.csv"], options)
    called = said(nd.adjust("live.csv", formulas, "catalogue.toml", **rest))

    assert typed == called
    assert typed == by_run_file(shop, {"live": "live.csv"}, options)


def refusal(call):
    """How a call of the API is refused."""
    with pytest.raises(nd.NeatDeltaError) as caught:
        call()
    return caught.value.code


def typed_refusal(*args, cwd):
    done = neat_delta(*args, "--json", cwd=cwd)
    assert done.returncode in (2, 3, 4), done.stdout
    return json.loads(done.stdout)["problems"][0]["code"]


def test_an_export_that_is_too_old_is_written_at_no_door(shop):
    two_days_ago = (datetime.now() - timedelta(days=2)).timestamp()
    os.utime(shop / "live.csv", (two_days_ago, two_days_ago))
    rules = nd.compare("live.csv", "edited.csv", "catalogue.toml")
    rules.save("c.changes.jsonl")
    (shop / "catalogue.toml").write_text(CATALOGUE + "[refresh]\nhours = 24\n")
    settings, before = nd.load_settings("catalogue.toml"), files_in(shop)
    edit, formula = ("live.csv", "edited.csv"), ["price = price + 1"]

    assert {
        typed_refusal("compare", *edit, "--write", "up", cwd=shop),
        typed_refusal("compare", *edit, "older.csv", "--write", "up", cwd=shop),
        typed_refusal("adjust", "live.csv", "--set", *formula, "--write", "up", cwd=shop),
        typed_refusal("recode", "live.csv", "moves.csv", "--write", "up", cwd=shop),
        typed_refusal("write", "c.changes.jsonl", "-o", "up", cwd=shop),
        typed_refusal("undo", "c.changes.jsonl", "-o", "up", "--fresh", "live.csv", cwd=shop),
        refusal(lambda: nd.compare(*edit, settings, write="up")),
        refusal(lambda: nd.adjust("live.csv", formula, settings, write="up")),
        refusal(lambda: nd.recode("live.csv", {"KT-1": "KT-7"}, settings, write="up")),
        refusal(lambda: nd.write(rules, "up", "live.csv", settings)),
        refusal(lambda: nd.undo(rules, "up", "live.csv", settings, fresh="live.csv")),
    } == {"export-too-old"}
    assert files_in(shop) == before
    assert nd.write(rules, "now", "live.csv", settings, as_of=datetime.now().astimezone()) is not None
    done = neat_delta("compare", *edit, "--write", "typed", "--as-of", f"{datetime.now():%Y-%m-%dT%H:%M}", cwd=shop)
    assert (shop / "typed" / "receipt.json").is_file(), done.stderr


def test_what_was_locked_later_is_written_at_no_door(shop):
    changes = nd.compare("live.csv", "edited.csv", "catalogue.toml", unlock=["name"])
    free = nd.compare("live.csv", "edited.csv", "catalogue.toml")
    free.save("c.changes.jsonl")
    (shop / "catalogue.toml").write_text(CATALOGUE + "[fields.price]\nlocked = true\n")

    neat_delta("write", "c.changes.jsonl", "-o", "typed", cwd=shop)
    nd.write(free, "called", "live.csv", "catalogue.toml")
    (shop / "night.toml").write_text('live = "live.csv"\nchanges = "c.changes.jsonl"\n')
    neat_delta("run", "night.toml", "--dry-run", cwd=shop)

    for folder in (shop / "typed", shop / "called", shop / "runs" / latest(shop) / "update"):
        heads = [path.read_text().splitlines()[0] for path in update_files(folder)] if folder.exists() else []
        assert not any("price" in head for head in heads), folder
    assert "locked field" in nd.check(free, "live.csv", "catalogue.toml").problems["code"].to_list()
    # What was let through when it was made stays let through.
    assert "name" in nd.check(changes, "live.csv", "catalogue.toml").cells["field"].to_list()


def test_the_same_files_are_written_at_every_door(shop):
    options = {"pack": "one-file", "format": "tsv"}

    neat_delta("compare", "live.csv", "edited.csv", "--write", "typed", *words(options), cwd=shop)
    nd.compare("live.csv", "edited.csv", "catalogue.toml", write="called", **options)
    (shop / "night.toml").write_text(tomlkit.dumps({"live": "live.csv", "edited": "edited.csv"} | options))
    neat_delta("run", "night.toml", "--dry-run", cwd=shop)
    saved = nd.compare("live.csv", "edited.csv", "catalogue.toml", out="c.changes.jsonl")
    neat_delta("write", "c.changes.jsonl", "-o", "later", *words(options), cwd=shop)
    nd.write(saved, "by-hand", "live.csv", "catalogue.toml", **options)

    folders = ("typed", "called", f"runs/{latest(shop)}/update", "later", "by-hand")
    written = [{path.name: path.read_bytes() for path in update_files(shop / folder)} for folder in folders]
    assert written[0]
    assert all(files == written[0] for files in written)


def test_strict_writes_nothing_at_every_door(shop):
    neat_delta("compare", "live.csv", "edited.csv", "--write", "typed", "--strict", cwd=shop)
    changes = nd.compare("live.csv", "edited.csv", "catalogue.toml", write="called", strict=True)
    assert nd.write(changes, "by-hand", "live.csv", "catalogue.toml", strict=True) is None
    (shop / "night.toml").write_text('live = "live.csv"\nedited = "edited.csv"\nstrict = true\nto = "inbox"\n')
    (shop / "inbox").mkdir()
    done = neat_delta("run", "night.toml", cwd=shop)

    assert (done.returncode, list((shop / "inbox").iterdir())) == (1, [])
    assert not any((shop / name).exists() for name in ("typed", "called", "by-hand"))
    assert not (shop / "runs" / latest(shop) / "update").exists()


@pytest.mark.parametrize(
    ("name", "value", "says"),
    [
        ("blanks", "empty", "leave, clear"),
        ("pack", "smallest", "exact, one-file"),
        ("format", "wordy", "delimited"),
        ("delete_missing", 0, "1"),
        ("delimiter", "#", "semicolon"),
        ("encoding", "martian", "martian"),
    ],
)
def test_a_wrong_word_is_refused_at_every_door(shop, name, value, says):
    typed = neat_delta("compare", "live.csv", "edited.csv", *words({name: value}), cwd=shop)
    assert typed.returncode == 2
    assert str(value) in typed.stderr
    with pytest.raises(nd.InvalidOption, match=says):
        nd.compare("live.csv", "edited.csv", **{name: value})
    (shop / "night.toml").write_text(tomlkit.dumps({"live": "live.csv", "edited": "edited.csv", name: value}))
    scheduled = neat_delta("run", "night.toml", "--dry-run", cwd=shop)
    assert scheduled.returncode in (2, 3)
    assert str(value) in scheduled.stdout + scheduled.stderr


def test_several_files_are_combined_the_same_at_every_door(shop):
    write_table(shop / "second.csv", [["sku", "price"], ["KT-1", "12.00"], ["KT-3", "31.00"]])
    options = {"prefer": "second.csv"}

    typed = by_command_line(shop, "compare", ["live.csv", "edited.csv", "second.csv"], options)
    called = said(nd.compare("live.csv", ["edited.csv", "second.csv"], "catalogue.toml", **options))
    head = {"live": "live.csv", "edited_files": [{"file": "edited.csv"}, {"file": "second.csv", "preferred": True}]}
    apart = [nd.compare("live.csv", one, "catalogue.toml") for one in ("edited.csv", "second.csv")]
    joined = nd.combine(
        dict(zip(("edited", "second"), apart, strict=True)), "live.csv", "catalogue.toml", prefer="second"
    )

    assert typed == called
    assert typed[0] == by_run_file(shop, head, {})[0] == joined.changes.cells.rows()


def test_a_year_in_which_no_export_was_made_is_refused_at_every_door(shop):
    for year in ("0001", "9999"):
        typed = neat_delta("compare", "live.csv", "edited.csv", "--write", "up", "--as-of", f"{year}-01-01", cwd=shop)
        assert (typed.returncode, "in this year" in typed.stderr) == (2, True)
    with pytest.raises(nd.InvalidOption, match="in this year"):
        nd.compare("live.csv", "edited.csv", write="up", as_of=datetime(1, 1, 1))
    assert not (shop / "up").exists()


def test_each_of_several_files_is_mapped_by_its_own_values(shop):
    write_table(shop / "a.csv", [["Art. no.", "Ours"], ["KT-1", "10.50"], *([row[0], row[3]] for row in LIVE[2:])])
    write_table(shop / "b.csv", [["Code here", "stock"], ["KT-1", "4"], *([row[0], row[5]] for row in LIVE[2:])])

    typed = by_command_line(shop, "compare", ["live.csv", "b.csv", "a.csv"], {"map_by_values": True})
    called = said(nd.compare("live.csv", ["b.csv", "a.csv"], "catalogue.toml", map_by_values=True))

    assert typed == called
    assert {field for _, field, *_ in typed[0]} == {"stock", "price"}


def test_a_run_file_is_looked_at_without_its_tables(shop):
    """Whatever of its options can be seen to be wrong is said before anything is fetched."""
    wrong = {
        "delimiter": "#",
        "encoding": "martian",
        "on_conflict": ["mine"],
        "images": "no-pictures",
        "map_file": "no-codes.csv",
        "table": {"file": "costs.csv"},
    }
    for name, value in wrong.items():
        (shop / "night.toml").write_text(tomlkit.dumps({"live": "live.csv", "edited": "edited.csv", name: value}))
        done = neat_delta("run", "night.toml", "--validate", cwd=shop)
        assert done.returncode == 3, name
        assert str(value if isinstance(value, str) else next(iter(value))) in done.stderr


def test_the_files_of_a_run_are_meant_from_its_folder(shop, tmp_path_factory):
    elsewhere = tmp_path_factory.mktemp("elsewhere")
    files = {"live": "live.csv", "edited": "edited.csv", "items": "items.txt", "images": "pictures"}
    files |= {"map_file": "codes.csv", "table": {"costs": "costs.csv"}}
    (shop / "night.toml").write_text(tomlkit.dumps(files | {"set": ["price = costs.net * 4"], "base": "none"}))

    here = neat_delta("run", "night.toml", "--dry-run", cwd=shop)
    first = said(nd.load(shop / "runs" / latest(shop) / CHANGES_FILE))
    there = neat_delta("run", shop / "night.toml", "--dry-run", cwd=elsewhere)

    assert here.returncode == there.returncode, there.stderr
    assert said(nd.load(shop / "runs" / latest(shop) / CHANGES_FILE)) == first
    assert [row[:2] for row in first[0]] == [("KT-2", "price")]


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("key", 5),
        ("skip", [1]),
        ("items", 7),
        ("map", ["a"]),
        ("strict", "yes"),
        ("delete_missing", True),
        ("where", 3),
        ("images", ["pictures"]),
        ("as_of", "2026-01-01"),
    ],
)
def test_a_value_of_another_kind_is_refused_before_anything_is_read(name, value):
    with pytest.raises(nd.InvalidOption, match=f"^{name}"):
        nd.compare("no-live.csv", "no-edited.csv", **{name: value})


def test_a_preview_is_the_same_at_both_doors(shop):
    nd.adjust("live.csv", ["price = price + 1", "stock = stock + 1"], "catalogue.toml").save("c.changes.jsonl")
    words = ["c.changes.jsonl", "--money", "--stock", "--by", "price", "--only", "price", "--only", "stock"]
    saved = ["--page", "typed.html", "--review", "typed.xlsx", "--review-by", "item"]
    typed = json.loads(neat_delta("preview", *words, *saved, "--json", cwd=shop).stdout)["result"]

    called = nd.preview(
        "c.changes.jsonl",
        settings="catalogue.toml",
        money=True,
        stock=True,
        by="price",
        only=["price", "stock"],
        page="called.html",
        review="called.xlsx",
        review_by="item",
    )

    for name in ("money", "stock", "groups"):
        frame = getattr(called, name)
        assert len(typed[name]) == len(frame) > 0
        assert list(typed[name][0]) == frame.columns
    assert typed["files"] == {"page": ["typed.html"], "review": ["typed.xlsx"]}
    assert (shop / "called.html").read_bytes() == (shop / "typed.html").read_bytes()
    read = [Workbook.from_path(shop / f"{one}.xlsx").get_sheet_by_index(0).to_python() for one in ("called", "typed")]
    assert read[0] == read[1]


def test_what_is_seen_in_a_table_is_the_same_at_both_doors(shop):
    typed = json.loads(neat_delta("inspect", "live.csv", "--json", cwd=shop).stdout)["result"]
    called = nd.inspect("live.csv", "catalogue.toml")

    assert [one["field"] for one in typed["columns"]] == [column.field for column in called.columns]
    assert typed["damaged"] == called.damage.to_dicts()
    assert typed["rows"] == called.table.rows_read


def test_the_history_is_the_same_at_both_doors(shop):
    nd.write(nd.adjust("live.csv", ["price = price + 1"], "catalogue.toml"), "up", "live.csv", "catalogue.toml")
    (shop / "inbox").mkdir()
    nd.send("up", "inbox", "catalogue.toml", history="h.sqlite")

    def typed(*words):
        done = neat_delta("history", *words, "--history", "h.sqlite", "--json", cwd=shop)
        return json.loads(done.stdout)["result"]

    cells = nd.history(history="h.sqlite", cells=True, field="price").cells
    assert [one["now"] for one in typed("--cells", "--field", "price")] == cells["now"].to_list()
    assert len(cells) == 4
    assert typed("1")["entry"] == nd.history("1", history="h.sqlite").entry.entry == 1
    assert len(typed()) == len(nd.history(history="h.sqlite").entries) == 1
    assert typed("--person", "nobody") == nd.history(history="h.sqlite", person="nobody").entries == []
    past = nd.history("KT-1", "catalogue.toml", history="h.sqlite").past
    assert len(typed("KT-1")["changes"]) == len(past.changes)

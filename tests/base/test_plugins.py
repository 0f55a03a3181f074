"""The example of plug-ins, installed as a package is, does what the page of plug-ins says."""

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

from helpers import PROGRAM, write_table

ROOT = Path(__file__).parents[2]
LIVE = [
    ["sku", "name", "bin", "stock"],
    ["A", "lid", "A12-3", "4"],
    ["B", "jar", "B1-1", "0"],
    ["C", "wax", "C7-20", "9"],
    ["D", "comb", "D1-2", "1"],
]


@pytest.fixture(scope="module")
def packages(tmp_path_factory):
    """A folder into which the example package is installed, without any network."""
    folder = tmp_path_factory.mktemp("packages")
    source = folder / "source"
    words = ["cp", "-r", str(ROOT / "examples" / "shelf-labels"), str(source)]
    subprocess.run(words, check=True)
    target = folder / "site"
    install = [sys.executable, "-m", "pip", "install", "--quiet", "--no-index", "--no-deps", "--no-build-isolation"]
    subprocess.run([*install, "--target", str(target), str(source)], check=True, capture_output=True)
    return target


@pytest.fixture
def work(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    edited = [list(row) for row in LIVE]
    edited[1][2], edited[2][2], edited[3][2] = "a12-03", "B1-4", "C 8/1"
    edited[4][1] = 'comb "new":\n\nwhite'
    write_table(tmp_path / "edited.csv", edited)
    (tmp_path / "hall").mkdir()
    return tmp_path


def run(packages, work, *words, **more):
    env = os.environ | {"PYTHONPATH": str(packages), "NEAT_DELTA_DATA": str(work / "data")} | more
    return subprocess.run([PROGRAM, *words], cwd=work, env=env, capture_output=True, text=True, check=False)


def test_a_type_and_a_check_of_a_plug_in_count_as_ours(packages, work):
    done = run(packages, work, "compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", "--json")
    envelope = json.loads(done.stdout)
    cells = [json.loads(line) for line in (work / "c.changes.jsonl").read_text().splitlines()[1:]]
    moved = {item["key"][0]: item["cells"]["bin"]["now"] for item in cells if "bin" in item.get("cells", {})}

    assert envelope["result"]["fields"]["bin"]["type"] == "shelf"
    assert moved == {"B": "B1-4", "C": "C8-1"}  # (a12-03 is the place that it was)
    assert [(one["code"], one["key"]) for one in envelope["problems"]] == [("shelf without stock", ["B"])]
    explained = run(packages, work, "explain", "shelf without stock").stdout
    assert "gets a place on a shelf" in " ".join(explained.split())
    ignored = run(packages, work, "check", "c.changes.jsonl", "--ignore", "shelf without stock")
    assert ignored.returncode == 0, ignored.stderr


def test_a_format_of_a_plug_in_is_proved_and_its_destination_gets_the_files(packages, work):
    words = ("compare", "live.csv", "edited.csv", "--write", "up", "--format", "labels")
    written = run(packages, work, *words)
    assert written.returncode == 0, written.stderr
    text = (work / "up" / "01-changes.labels").read_text()
    assert '"bin": "C8-1"\n' in text
    assert "proved" in written.stdout
    sent = run(packages, work, "send", "up", "--to", "pinboard://hall")
    again = run(packages, work, "send", "up", "--to", "pinboard://hall")
    assert (sent.returncode, again.returncode) == (0, 4), sent.stderr
    assert [path.read_text() for path in (work / "hall").iterdir()] == [text]
    nowhere = run(packages, work, "send", "up", "--to", "pinboard://attic")
    assert (nowhere.returncode, "there is no such pinboard" in nowhere.stderr) == (4, True)


def test_a_format_that_does_not_give_back_what_it_wrote_makes_no_update(packages, work, tmp_path_factory):
    broken = tmp_path_factory.mktemp("broken")
    subprocess.run(["cp", "-r", f"{packages}/.", str(broken)], check=True)
    path = broken / "shelf_labels" / "labels.py"
    path.write_text(path.read_text().replace("json.loads(line[end + 2 :])", "'x'"))
    done = run(broken, work, "compare", "live.csv", "edited.csv", "--write", "up", "--format", "labels")

    assert done.returncode == 3
    assert not (work / "up").exists()


def test_a_plug_in_that_cannot_be_loaded_is_named_with_its_package(packages, work, tmp_path_factory):
    broken = tmp_path_factory.mktemp("unloadable")
    subprocess.run(["cp", "-r", f"{packages}/.", str(broken)], check=True)
    (broken / "shelf_labels" / "checks.py").write_text("import nothing_of_this_name\n")
    done = run(broken, work, "compare", "live.csv", "edited.csv")

    assert done.returncode == 2
    assert re.search(r"the plug-in shelf of shelf-labels cannot be loaded.*pip uninstall shelf-labels", done.stderr)


def test_a_check_of_a_plug_in_that_fails_is_named_with_its_reason(packages, work, tmp_path_factory):
    broken = tmp_path_factory.mktemp("failing")
    subprocess.run(["cp", "-r", f"{packages}/.", str(broken)], check=True)
    path = broken / "shelf_labels" / "checks.py"
    path.write_text(path.read_text().replace("    found = []\n", "    found = [1 / 0]\n", 1))
    done = run(broken, work, "compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl")

    assert (done.returncode, (work / "c.changes.jsonl").exists()) == (2, False)
    assert "'shelf without stock' of a plug-in (shelf_labels.checks) failed: ZeroDivisionError" in done.stderr


def test_without_plug_ins_their_names_are_refused(packages, work):
    for words in (
        ("compare", "live.csv", "edited.csv", "--write", "up", "--format", "labels"),
        ("send", "up", "--to", "pinboard://hall"),
    ):
        env = os.environ | {"NEAT_DELTA_DATA": str(work / "data")}
        done = subprocess.run([PROGRAM, *words], cwd=work, env=env, capture_output=True, text=True, check=False)
        assert done.returncode == 2
    reading = run(packages, work, "compare", "pinboard://hall/x.csv", "edited.csv")
    assert (reading.returncode, "pinboard is a destination only" in reading.stderr) == (4, True)

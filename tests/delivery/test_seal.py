"""What was written and approved is what leaves: whatever is exchanged in the folder of an update is refused by name."""

import hashlib
import itertools
import json
import shutil
from pathlib import Path

import pytest

import neat_delta as nd
from helpers import examples, neat_delta, write_table
from neat_delta.workflows.option_groups import OUTPUT_FORMATS
from neat_delta.workflows.requests import SendRequest
from neat_delta.workflows.send import ready

LIVE = [
    ["sku", "name", "price", "sale_price", "stock"],
    *([f"K-{at}", f"Hive {at}", f"2{at}.50", "", "7"] for at in range(6)),
]
EDITED = [
    LIVE[0],
    *([f"K-{at}", f"Hive {at}", f"2{at}.9{at}", "", stock] for at, stock in enumerate(("9", "3", "5", "12"))),
    ["K-4", "Hive four", "24.50", "", "7"],
    ["N-1", "New, with “quotes”", "3.00", "2.00", "1"],
]
IMPORTS = {
    "as exported": "",
    "another form": '[import]\ndelimiter = "semicolon"\nencoding = "windows-1252"\ndecimal = ","\n',
    "blank leaves": '[import]\nblank = "leaves"\nmarker = "-"\ncolumns = ["name"]\n',
    "names": '[import]\nrows = 3\n[import.names]\nprice = "Preis"\n[import.constants.changes]\naction = "update"\n',
    "instead": '[import.instead_of_removal]\nstock = "0"\n',
}
SECRET = {"NEAT_DELTA_APPROVAL_SECRET": "a secret of sixteen letters"}


@pytest.fixture
def shop(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "edited.csv", EDITED)
    (tmp_path / "inbox").mkdir()
    (tmp_path / "catalogue.toml").write_text("")
    return tmp_path


def written(folder, output_format="delimited", **options):
    changes = nd.compare("live.csv", "edited.csv", "catalogue.toml", add_new=True, delete_missing=3)
    changes.save("c.changes.jsonl", overwrite=True)
    nd.write(changes, folder, "live.csv", "catalogue.toml", format=output_format, **options)
    return changes


def see(folder):
    return ready(SendRequest(folder=Path(folder), to=Path("inbox"), settings=nd.load_settings("catalogue.toml")))


# Each format with each way to import, in the long run; each of both with several of the other every day.
PAIRS = [
    pair
    for at, pair in enumerate(itertools.product(OUTPUT_FORMATS, IMPORTS))
    if examples(1) > 1 or at % 4 == 0 or pair[0] == "delimited"
]


@pytest.mark.parametrize(("output_format", "imports"), PAIRS)
def test_what_nobody_has_touched_leaves_in_every_form(shop, output_format, imports):
    (shop / "catalogue.toml").write_text(IMPORTS[imports])
    try:
        changes = written("up", output_format, pack="one-file" if imports == "as exported" else "exact")
    except nd.WriteError:
        return  # a form that does not take these settings
    assert see("up").update.receipt.output_format == output_format
    nd.undo(changes, "back", "live.csv", "catalogue.toml", format=output_format)
    assert see("back").update.receipt.undoes
    # Elsewhere, without these settings, with the export beside the files.
    shutil.copy("live.csv", "up/live.csv")
    (shop / "catalogue.toml").write_text("")
    (shop / "live.csv").unlink()
    request = SendRequest(folder=Path("up"), to=Path("inbox"), settings=nd.Settings())
    assert ready(request).update.change_set.head.key == ("sku",)


def exchange(folder, name, data):
    """Another file in its place, with the right checksum in the receipt."""
    receipt = json.loads((folder / "receipt.json").read_text())
    for one in receipt["files"]:
        if one["file"] == name:
            one |= {"sha256": hashlib.sha256(data).hexdigest(), "bytes": len(data)}
    (folder / name).write_bytes(data)
    (folder / "receipt.json").write_text(json.dumps(receipt))


def with_text(old, new):
    return lambda folder, name: exchange(folder, name, (folder / name).read_bytes().replace(old, new, 1))


def without_file(folder, name):
    receipt = json.loads((folder / "receipt.json").read_text())
    receipt["files"] = [one for one in receipt["files"] if one["file"] != name]
    (folder / "receipt.json").write_text(json.dumps(receipt))


def as_another_action(folder, name):
    receipt = json.loads((folder / "receipt.json").read_text())
    receipt["files"] = [
        one | {"action": "remove" if one["file"] == name else one["action"]} for one in receipt["files"]
    ]
    (folder / "receipt.json").write_text(json.dumps(receipt))


@pytest.mark.parametrize("approved", [False, True])
@pytest.mark.parametrize(
    "attack",
    [
        with_text(b"20.90", b"20.09"),
        with_text(b"price", b"sale_price"),
        with_text(b"sku", b"name"),
        with_text(b"K-1,", b"K-5,"),
        with_text(b"K-0,", b"K-0 ,"),
        lambda folder, name: exchange(folder, name, (folder / name).read_bytes() + b"K-5,1.00,1\n"),
        without_file,
        as_another_action,
    ],
)
def test_an_exchanged_file_is_refused_and_nothing_leaves(shop, attack, approved):
    (shop / "catalogue.toml").write_text('[send]\napproval = "other"\n' if approved else "")
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", cwd=shop, NEAT_DELTA_USER="Bo")
    neat_delta("approve", "c.changes.jsonl", "--by", "Anna", cwd=shop, **SECRET)
    assert neat_delta("write", "c.changes.jsonl", "-o", "up", cwd=shop, **SECRET).returncode == 0
    name = next(path.name for path in (shop / "up").glob("*.csv") if b"K-1,21.91,3" in path.read_bytes())
    attack(shop / "up", name)

    done = neat_delta("send", "up", "--to", "inbox", "-y", cwd=shop, **SECRET)

    assert done.returncode == 3, done.stdout
    assert "Nothing was sent" in done.stderr
    assert list((shop / "inbox").iterdir()) == []


def test_without_its_export_what_must_be_approved_does_not_leave(shop):
    (shop / "catalogue.toml").write_text('[send]\napproval = "any"\n[store]\nkeep = false\n')
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", cwd=shop)
    neat_delta("approve", "c.changes.jsonl", "--by", "Anna", cwd=shop, **SECRET)
    assert neat_delta("write", "c.changes.jsonl", "-o", "up", cwd=shop, **SECRET).returncode == 0
    (shop / "live.csv").rename(shop / "elsewhere.csv")

    done = neat_delta("send", "up", "--to", "inbox", "-y", cwd=shop, **SECRET)
    assert (done.returncode, "the export live.csv is needed" in done.stderr) == (3, True)
    (shop / "elsewhere.csv").rename(shop / "up" / "live.csv")
    assert neat_delta("send", "up", "--to", "inbox", "-y", cwd=shop, **SECRET).returncode == 0


@pytest.mark.parametrize("blank", ["empties", "leaves"])
def test_the_undo_in_the_folder_of_an_update_is_sent_and_imported(shop, blank):
    (shop / "catalogue.toml").write_text(f'[import]\nblank = "{blank}"\n')
    changes = nd.compare("live.csv", "edited.csv", "catalogue.toml")
    nd.write(changes, "up", "live.csv", "catalogue.toml")

    assert neat_delta("send", "up/undo", "--to", "inbox", "-y", "--history", "h.sqlite", cwd=shop).returncode == 0
    sent = {path.name: path.read_bytes() for path in (shop / "inbox").iterdir()}
    assert sent == {path.name: path.read_bytes() for path in (shop / "up" / "undo").iterdir()}
    cells = nd.history(history="h.sqlite", cells=True).cells
    assert sorted(cells["now"].to_list()) == sorted(changes.cells["was"].to_list())

    neat_delta("shop", "open", "practice", "--from", "live.csv", cwd=shop)
    for folder in ("up", "up/undo"):
        assert neat_delta("shop", "import", "practice", folder, cwd=shop).returncode == 0
    neat_delta("shop", "export", "practice", "-o", "after.csv", cwd=shop)
    assert nd.compare("live.csv", "after.csv", base="none").is_empty

    name = next((shop / "up" / "undo").iterdir())
    name.write_bytes(name.read_bytes() + b"x")
    assert "changed after it was written" in neat_delta("send", "up/undo", "--to", "inbox2", "-y", cwd=shop).stderr


@pytest.mark.parametrize("rule", ["", '[send]\napproval = "any"\n'])
def test_where_an_approval_is_wanted_the_import_is_the_one_it_was_written_for(shop, rule):
    (shop / "catalogue.toml").write_text(rule)
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", cwd=shop)
    neat_delta("approve", "c.changes.jsonl", "--by", "Anna", cwd=shop, **SECRET)
    assert neat_delta("write", "c.changes.jsonl", "-o", "up", cwd=shop, **SECRET).returncode == 0
    (shop / "catalogue.toml").write_text(f'{rule}[import]\nnames = {{price = "sale_price"}}\n')

    done = neat_delta("send", "up", "--to", "inbox", "-y", cwd=shop, **SECRET)
    assert ("other settings of [import]" in done.stderr, list((shop / "inbox").iterdir()) == []) == (bool(rule),) * 2

"""Somebody edits a file between two steps: the update is refused by name, or is to the byte what was approved.

Every value of every file is altered, one at a time: of the change set and its approval before the update is written, of
the update's receipt, change set, approval and files before it is sent, with their checksums set right again.
"""

import hashlib
import itertools
import json
import shutil

import pytest

import neat_delta as nd
from helpers import examples, neat_delta, write_table
from neat_delta.approval.approval import approve, save_approval

LIVE = [
    ["sku", "barcode", "name", "price", "cost", "stock"],
    *([f"KT-{at}", f"400638133393{at}", f"lid {at}", f"{at}0.00", "5.00", "7"] for at in range(1, 6)),
]
EDITED = [
    LIVE[0],
    ["KT-1", "4006381333931", "lid 1", "11.00", "5.00", "7"],
    ["KT-2", "4006381333932", "a lid", "21.50", "5.00", "9"],
    ["KT-7", "4006381333937", "new", "70.00", "6.00", "1"],
    *LIVE[4:],
]
CATALOGUE = 'key = "sku"\n[send]\napproval = "other"\nto = "inbox"\n[import]\ncolumns = ["name"]\n'
# Of what an edit of the settings may be.
SETTINGS = [
    CATALOGUE.replace('approval = "other"\n', ""),
    CATALOGUE.replace('"other"', '"any"'),
    CATALOGUE.replace('"other"', '"none"'),
    CATALOGUE.replace("inbox", "elsewhere"),
    CATALOGUE.replace('columns = ["name"]', ""),
    CATALOGUE + 'names = {price = "cost", cost = "price"}\n',
    CATALOGUE + 'constants = {changes = {stock = "0"}}\n',
    CATALOGUE + 'delimiter = "semicolon"\n',
    CATALOGUE.replace('key = "sku"', 'key = "barcode"'),
    CATALOGUE + '[fields.name]\ncolumn = "cost"\n',
]


def leaves(value, way=()):
    """The way to each value in a JSON text, and to each list and object."""
    if way:
        yield way
    if isinstance(value, dict | list):
        for at, one in value.items() if isinstance(value, dict) else enumerate(value):
            yield from leaves(one, (*way, at))


def altered(value):
    """Another value of the kind, such as somebody would put there; a field becomes another field."""
    fields = {"price": "cost", "name": "barcode", "sku": "barcode", "cost": "price", "stock": "price"}
    match value:
        case bool():
            return not value
        case int():
            return value + 1
        case str():
            return fields.get(value) or ("9.99" if "." in value else f"{value}9")
        case list():
            return value[1:] if value else ["KT-1"]
        case dict():
            return {fields.get(name, name): one for name, one in value.items()}
        case _:
            return "9.99"


def changed_at(document, way):
    document = json.loads(json.dumps(document))
    inner = document
    for step in way[:-1]:
        inner = inner[step]
    inner[way[-1]] = altered(inner[way[-1]])
    return document


def variants(path):
    """The contents that one edit makes of a file: of each JSON value in it, of each cell of a table."""
    text = path.read_text("utf-8")
    if path.suffix == ".csv":
        for at, cell in enumerate(text.split(",")):
            yield f"cell {at}", ",".join([*text.split(",")[:at], altered(cell), *text.split(",")[at + 1 :]])
        return
    lines = text.splitlines() if path.suffix == ".jsonl" else [text]
    for number, line in enumerate(lines):
        document = json.loads(line)
        for way in leaves(document):
            rest = json.dumps(changed_at(document, way), ensure_ascii=False, separators=(",", ":"))
            yield f"line {number} {way}", "\n".join([*lines[:number], rest, *lines[number + 1 :]]) + "\n"


def seal_again(folder):
    """Set the checksums in a receipt right for the files as they are."""
    receipt = json.loads((folder / "receipt.json").read_text("utf-8"))
    for listed in (*receipt["files"], receipt["changes"]):
        if (folder / str(listed["file"])).is_file():
            listed["sha256"] = hashlib.sha256((folder / listed["file"]).read_bytes()).hexdigest()
    (folder / "receipt.json").write_text(json.dumps(receipt), "utf-8")


@pytest.fixture
def shop(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("NEAT_DELTA_USER", "Bo")
    monkeypatch.setenv("NEAT_DELTA_APPROVAL_SECRET", "a secret of sixteen letters")
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "edited.csv", EDITED)
    (tmp_path / "catalogue.toml").write_text(CATALOGUE)
    nd.compare("live.csv", "edited.csv", "catalogue.toml", add_new=True, delete_missing=1).save("c.changes.jsonl")
    approval = approve(nd.load("c.changes.jsonl"), "c.changes.jsonl", "Anna", "agreed", 14)
    save_approval(approval, tmp_path / "c.approval.json")
    return tmp_path


def write():
    changes = nd.load("c.changes.jsonl")
    nd.write(changes, "up", "live.csv", "catalogue.toml", approval="c.approval.json")


def send():
    nd.send("up", settings="catalogue.toml", history="h.sqlite")


def left(shop):
    """What has left, and for where: the files by their content."""
    places = [shop / "inbox", shop / "elsewhere"]
    return {
        place.name: sorted(path.read_bytes() for path in place.iterdir() if not path.name.startswith("."))
        for place in places
    }


def tried(shop, steps):
    """What has left once all steps were gone; a step that is refused is the last, and nothing has left then."""
    for place in ("inbox", "elsewhere"):
        shutil.rmtree(shop / place, ignore_errors=True)
        (shop / place).mkdir()
    (shop / "h.sqlite").unlink(missing_ok=True)
    try:
        for step in steps:
            step()
    except nd.NeatDeltaError as error:
        assert str(error)
        assert left(shop) == {"inbox": [], "elsewhere": []}
        return None
    return left(shop)


def some_of(cases, number):
    """So many of the cases, spread over all of them; every one in the long run."""
    cases = list(cases)
    every = 1 if examples(1) > 1 else max(1, len(cases) // number)
    return itertools.islice(cases, 0, None, every)


@pytest.mark.parametrize("name", ["c.changes.jsonl", "c.approval.json"])
def test_what_is_edited_before_it_is_written_is_refused_or_makes_no_difference(shop, name):
    path = shop / name
    before = path.read_bytes()
    approved = tried(shop, [write, send])
    assert len(approved["inbox"]) > 2
    refused = 0
    for where, text in some_of(variants(path), 18):
        shutil.rmtree(shop / "up", ignore_errors=True)
        path.write_text(text, "utf-8")
        sent = tried(shop, [write, send])
        assert sent in (None, approved), where
        refused += sent is None
        path.write_bytes(before)
    assert refused > 5


@pytest.mark.parametrize("name", ["receipt.json", "update.changes.jsonl", "update.approval.json", "02-changes.csv"])
def test_what_is_edited_before_it_is_sent_is_refused_or_makes_no_difference(shop, name):
    approved = tried(shop, [write, send])
    (shop / "up" / "sent.json").unlink()
    whole = shutil.copytree(shop / "up", shop / "whole")
    refused = 0
    for where, text in some_of(variants(whole / name), 14):
        for seals in (False, True):
            shutil.rmtree(shop / "up")
            shutil.copytree(whole, shop / "up")
            (shop / "up" / name).write_text(text, "utf-8")
            if seals and name != "receipt.json":
                seal_again(shop / "up")
            sent = tried(shop, [send])
            assert sent in (None, approved), (where, seals)
            refused += sent is None
    assert refused > 3


@pytest.mark.parametrize("settings", SETTINGS, ids=range(len(SETTINGS)))
@pytest.mark.parametrize("before", ["write", "send"])
def test_settings_that_are_edited_in_between_change_nothing_of_what_leaves(shop, settings, before):
    approved = tried(shop, [write, send])
    shutil.rmtree(shop / "up")

    def edit():
        (shop / "catalogue.toml").write_text(settings)

    sent = tried(shop, [edit, write, send] if before == "write" else [write, edit, send])

    assert sent in (None, approved)


def test_the_live_export_that_is_edited_in_between_is_seen(shop):
    write()
    write_table(shop / "live.csv", [LIVE[0], *([*row[:3], "1.00", *row[4:]] for row in LIVE[1:])])
    shutil.rmtree(shop / "exports", ignore_errors=True)

    assert tried(shop, [send]) is None


OTHERS = [{"TZ": "Asia/Tokyo"}, {"TZ": "America/New_York"}, {"NEAT_DELTA_USER": "Anna"}]


@pytest.mark.parametrize("told", OTHERS, ids=str)
def test_another_zone_person_or_folder_sends_what_was_approved_and_once(shop, tmp_path_factory, told):
    approved = tried(shop, [write, send])
    for path in (shop / "inbox").iterdir():
        path.unlink()
    elsewhere = tmp_path_factory.mktemp("elsewhere")
    shutil.copytree(shop / "up", elsewhere / "up")
    shutil.copy(shop / "live.csv", elsewhere)
    (elsewhere / "up" / "sent.json").unlink()
    words = ("send", "up", "--catalogue", shop / "catalogue.toml", "--history")

    again = neat_delta(*words, shop / "h.sqlite", cwd=elsewhere, **told)
    other = neat_delta(*words, "other.sqlite", cwd=elsewhere, **told)

    assert (again.returncode, "already sent completely" in again.stderr) == (4, True)
    assert (other.returncode, left(shop)) == (0, approved), other.stderr

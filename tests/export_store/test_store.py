"""Kept exports: found by their checksum, whole, and no more of them than is configured."""

import json
import os
import threading
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from helpers import neat_delta, read_rows, write_table
from neat_delta.base.errors import InvalidInput
from neat_delta.export_store import ExportStore
from neat_delta.export_store.keeping import finish, keep_beside
from neat_delta.export_store.store import keep_source
from neat_delta.files.content import ContentInMemory
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.reading import read_table
from neat_delta.tables.settings_sections import StoreSettings

HEAD = ["sku", "name", "price"]


def kept(store, *texts):
    for at, text in enumerate(texts):
        data = text.encode()
        store.keep(ContentInMemory(data), sha256_hex(data), f"{at}.csv", datetime(2026, 11, 1 + at, tzinfo=UTC))
        export = store.find(sha256_hex(data))
        when = (datetime.now(UTC) - timedelta(days=len(texts) - at)).timestamp()
        os.utime(export.path, (when, when))


def test_an_export_is_kept_once_comes_back_whole_and_is_known_by_name_and_time(tmp_path):
    store = ExportStore(tmp_path / "exports", StoreSettings())
    kept(store, "sku\nä\n", "sku\nB\n", "sku\nä\n")

    newest, oldest = store.exports()
    assert [store.data(one).decode() for one in (newest, oldest)] == ["sku\nB\n", "sku\nä\n"]
    assert (oldest.name, oldest.made.day, oldest.size) == ("0.csv", 1, 7)
    # Any program for Zstandard reads it, and so does this one.
    assert read_table(newest.path).cells(["sku"]).rows() == [("B",)]


@pytest.mark.parametrize(
    ("limits", "left"),
    [(StoreSettings(number=2), 2), (StoreSettings(days=2), 1), (StoreSettings(megabytes=1), 1), (StoreSettings(), 4)],
)
def test_the_exports_that_were_read_the_longest_ago_go_first(tmp_path, limits, left):
    texts = [os.urandom(700_000).hex()[:1_400_000] for _ in range(4)] if limits.megabytes == 1 else list("abcd")
    kept(ExportStore(tmp_path, StoreSettings()), *texts)

    ExportStore(tmp_path, limits).prune()

    assert [one.name for one in ExportStore(tmp_path, limits).exports()] == ["3.csv", "2.csv", "1.csv", "0.csv"][:left]


def test_a_damaged_file_is_refused_and_a_strange_one_is_let_alone(tmp_path):
    store = ExportStore(tmp_path, StoreSettings())
    kept(store, "sku\nA\n")
    (export,) = store.exports()
    (tmp_path / "notes-of-mine.zst").write_bytes(b"mine")
    for age in (0, 3):
        draft = tmp_path / f".1-{age}.zst.0a1b2c3d.draft"
        draft.write_bytes(b"half")
        os.utime(draft, (time.time() - age * 86_400,) * 2)
    store.prune()
    export.path.write_bytes(export.path.read_bytes()[:-9])

    assert len(store.exports()) == 1
    assert [path.name for path in tmp_path.glob(".*")] == [".1-0.zst.0a1b2c3d.draft"]
    with pytest.raises(InvalidInput, match=r"the kept export of 0\.csv is damaged"):
        store.data(export)


def test_no_command_fails_where_nothing_can_be_kept(tmp_path):
    write_table(tmp_path / "live.csv", [HEAD, ["A", "Hive", "1.00"]])
    write_table(tmp_path / "edited.csv", [HEAD, ["A", "Hive", "2.00"]])
    (tmp_path / "exports").write_text("a file where the folder should be")

    done = neat_delta("compare", "live.csv", "edited.csv", cwd=tmp_path)

    assert done.returncode == 0
    assert "note: live.csv was not kept" in done.stderr
    assert (
        keep_source(ExportStore(tmp_path, StoreSettings(keep=False)), read_table(tmp_path / "live.csv").source) is None
    )
    assert not list(tmp_path.glob("*.zst"))


def test_an_export_that_was_overwritten_is_found_again_and_an_item_has_a_past(tmp_path):
    rows = [HEAD, ["417", "Hive", "10.00"], ["418", "Veil", "20.00"]]
    write_table(tmp_path / "live.csv", rows)
    write_table(tmp_path / "edited.csv", [HEAD, ["417", "Hive", "11.00"], rows[2]])
    (tmp_path / "inbox").mkdir()
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.jsonl", cwd=tmp_path)
    write_table(tmp_path / "live.csv", [HEAD, ["417", "Hive", "11.00"], ["418", "Veil, fine", "20.00"]])

    written = neat_delta("write", "c.jsonl", "-o", "up", cwd=tmp_path)
    sent = neat_delta("send", "up", "--to", "inbox", cwd=tmp_path)
    neat_delta("verify", "c.jsonl", "live.csv", cwd=tmp_path)
    past = neat_delta("history", "--sku", "417", cwd=tmp_path)
    listed = json.loads(neat_delta("history", "--exports", "--json", cwd=tmp_path).stdout)["result"]["exports"]
    other = neat_delta("history", "418", cwd=tmp_path)
    unknown = neat_delta("history", "X-9", cwd=tmp_path)

    assert (written.returncode, sent.returncode) == (0, 0), written.stderr + sent.stderr
    assert read_rows(next((tmp_path / "up").glob("*.csv"))) == [["sku", "price"], ["417", "11.00"]]
    assert "1 change · 1 by updates of yours" in past.stdout
    assert "update #1" in past.stdout
    assert [one["name"] for one in listed] == ["live.csv", "live.csv"]
    assert "Veil, fine" in other.stdout
    assert "0 by updates of yours" in other.stdout
    assert (unknown.returncode, "no kept export has the SKU X-9" in unknown.stderr) == (2, True)


def test_what_another_update_has_sent_since_is_named_and_not_overwritten_unseen(tmp_path):
    rows = [HEAD, ["417", "Hive", "10.00"], ["418", "Veil", "20.00"]]
    write_table(tmp_path / "live.csv", rows)
    for name, price in (("one", "11.00"), ("two", "12.00")):
        (tmp_path / f"to-{name}").mkdir()
        write_table(tmp_path / f"{name}.csv", [HEAD, ["417", "Hive", price], rows[2]])
        neat_delta("compare", "live.csv", f"{name}.csv", "--write", f"up-{name}", cwd=tmp_path)
    (tmp_path / "inbox").mkdir()
    neat_delta("send", "up-one", "--to", "inbox", cwd=tmp_path)
    for path in (tmp_path / "inbox").iterdir():
        path.unlink()  # the shop has taken them

    shown = neat_delta("send", "up-two", "--to", "inbox", "--dry-run", cwd=tmp_path)
    held = neat_delta("send", "up-two", "--to", "inbox", cwd=tmp_path)
    elsewhere = neat_delta("send", "up-two", "--to", "to-two", cwd=tmp_path)
    anyway = neat_delta("send", "up-two", "--to", "inbox", "--overwrite-sent", cwd=tmp_path)

    assert shown.returncode == 1
    assert "1 cell sent by another update since this export" in shown.stdout
    assert held.returncode == 4
    assert "417 price (ours 12.00, sent 11.00 by history #1)" in held.stderr
    assert (elsewhere.returncode, anyway.returncode) == (0, 0)
    assert len(list((tmp_path / "inbox").iterdir())) == 1


@pytest.mark.parametrize(
    ("first", "then", "says"),
    [
        ("compare live.csv named.csv", "compare live.csv priced.csv", None),
        ("compare live.csv named.csv", "compare live.csv unnamed.csv --blanks clear", "417 name (ours empty, sent Hut"),
        ("compare live.csv unnamed.csv --blanks clear", "compare live.csv named.csv", "417 name (ours Hut, sent empty"),
        ("compare live.csv gone.csv --delete-missing 1", "recode live.csv codes.csv", "(ours recode 9, sent remove"),
        (
            "compare live.csv gone.csv --delete-missing 1",
            "compare live.csv other.csv",
            "418 name (ours Net, sent empty",
        ),
    ],
)
def test_whatever_two_updates_say_of_one_item_is_seen_also_where_the_export_was_copied_since(
    tmp_path, first, then, says
):
    live = [HEAD, ["417", "Hive", "10.00"], ["418", "Veil", "20.00"]]
    sheets = {
        "live": live,
        "named": [HEAD, ["417", "Hut", "10.00"]],
        "unnamed": [HEAD, ["417", "", "10.00"]],
        "priced": [HEAD, ["417", "Hive", "12.00"]],
        "other": [HEAD, ["418", "Net", "20.00"]],
        "gone": live[:2],
        "codes": [["old", "new"], ["418", "9"]],
    }
    for name, rows in sheets.items():
        write_table(tmp_path / f"{name}.csv", rows)
    (tmp_path / "inbox").mkdir()
    neat_delta(*first.split(), "--write", "one", cwd=tmp_path)
    assert neat_delta("send", "one", "--to", "inbox", cwd=tmp_path).returncode == 0
    for path in (tmp_path / "inbox").iterdir():
        path.unlink()
    os.utime(tmp_path / "live.csv", (time.time() + 2, time.time() + 2))
    neat_delta(*then.split(), "--write", "two", cwd=tmp_path)

    held = neat_delta("send", "two", "--to", "inbox", cwd=tmp_path)

    assert held.returncode == (4 if says else 0), held.stderr
    assert (says or "") in " ".join(held.stderr.split())


def test_an_export_is_kept_where_the_program_was_wherever_it_goes_meanwhile(tmp_path, monkeypatch):
    for name in ("here", "elsewhere"):
        (tmp_path / name).mkdir()
    monkeypatch.chdir(tmp_path / "here")
    source = read_table(write_table(tmp_path / "live.csv", [HEAD, ["A", "a", "1.00"]])).source
    going = threading.Event()
    monkeypatch.setattr("neat_delta.export_store.keeping.lower_priority", going.wait)

    keep_beside(ExportStore(Path("exports"), StoreSettings()), source)
    monkeypatch.chdir(tmp_path / "elsewhere")
    going.set()

    assert finish() == []
    assert len(list((tmp_path / "here" / "exports").iterdir())) == 1
    assert list((tmp_path / "elsewhere").iterdir()) == []

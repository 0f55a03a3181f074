"""The history's own file: whatever is wrong with it is named, and nothing of somebody else's is touched."""

import gzip
import os
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from neat_delta.base.errors import InvalidInput, WriteError
from neat_delta.delivery.history import DONE, Dispatch, History, People
from neat_delta.delivery.history_file import VERSION
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.update.receipt import ListedFile

CHANGES = b'{"neat_delta":2}\n'
FILES = [ListedFile("01-changes.csv", "a" * 64, "change", 3)]


@pytest.fixture
def history(tmp_path):
    """A history with one entry, whose file was sent."""
    kept = History(tmp_path / "history.sqlite")
    entry = kept.begin(Dispatch("inbox", "up", sha256_hex(CHANGES), "l" * 64, FILES, CHANGES))
    kept.note(entry, 1, DONE, "7", None, [{"line": 2, "code": "A", "result": "updated", "reason": ""}])
    return kept


def spoil(history, command):
    with closing(sqlite3.connect(history.path)) as base, base:
        base.executescript(command)


def test_what_was_noted_is_read_back(history):
    (entry,) = history.entries()

    assert (entry.state, entry.files[0].job) == (DONE, "7")
    assert entry.files[0].results == [{"line": 2, "code": "A", "result": "updated", "reason": ""}]
    assert history.change_set(entry) == b'{"neat_delta":2}\n'


@pytest.mark.parametrize(
    ("command", "said"),
    [
        (f"PRAGMA user_version = {VERSION + 1}", f"format {VERSION + 1}; this program reads format {VERSION}"),
        ("DROP TABLE files", "not a history file"),
        ("ALTER TABLE files RENAME COLUMN job TO work", "no such column"),
        ("UPDATE files SET rows = 'many'", "a row of it is none of ours"),
        ("UPDATE files SET results = '{'", "an import report in it cannot be read"),
        ("UPDATE files SET results = '[{\"line\": []}]'", "an import report in it cannot be read"),
        ("UPDATE entries SET begun = x'ff'", "none of ours|Could not decode"),
    ],
)
def test_a_history_that_is_not_as_it_should_be_is_named(history, command, said):
    spoil(history, command)

    with pytest.raises((WriteError, InvalidInput), match=f"history.sqlite.*{said}") as refused:
        history.entries()
    assert refused.value.hint


def test_a_damaged_change_set_in_it_is_named(history):
    spoil(history, "UPDATE change_sets SET packed = x'1f8b00'")

    with pytest.raises(InvalidInput, match="damaged"):
        history.change_set(history.entries()[0])


@pytest.mark.parametrize("content", [b"", b"hours of work", b"SQLite format 3\0" + b"\0" * 200])
def test_a_file_that_is_no_history_stays_as_it_is(tmp_path, content):
    path = tmp_path / "mine"
    path.write_bytes(content)
    kept = History(path)

    if content:
        with pytest.raises(WriteError, match="mine: cannot use the history file"):
            kept.begin(Dispatch("inbox", "up", "c", "l", FILES))
        with pytest.raises(WriteError, match="mine: cannot use the history file"):
            kept.entries()
        assert path.read_bytes() == content
    else:
        assert kept.entries() == []  # so a run leaves it that was cut off before its first entry


def test_another_change_set_in_its_place_is_not_what_was_sent(history):
    other = gzip.compress(b'{"neat_delta":2,"other":1}\n').hex()
    spoil(history, f"UPDATE change_sets SET packed = x'{other}'")

    with pytest.raises(InvalidInput, match="the change set of entry 1 is not what was sent"):
        history.change_set(history.entry(1))


@pytest.mark.skipif(os.name != "posix" or os.geteuid() == 0, reason="nothing is read-only for the machine's keeper")
def test_a_history_that_may_only_be_read_is_read(history):
    Path(history.path).chmod(0o444)
    history.path.parent.chmod(0o555)
    try:
        assert len(history.entries()) == 1
        with pytest.raises(WriteError, match="Allow writing"):
            history.note(1, 1, DONE)
    finally:
        history.path.parent.chmod(0o755)


def test_a_history_that_another_run_holds_is_waited_for_and_then_named(history, monkeypatch):
    monkeypatch.setattr("neat_delta.delivery.history_file.WAITING", 0.1)
    with closing(sqlite3.connect(history.path, isolation_level=None)) as other:
        other.execute("BEGIN EXCLUSIVE")
        with pytest.raises(WriteError, match="Another run is using it"):
            history.note(1, 1, DONE)


def test_a_history_of_the_first_form_is_read_and_brought_up_to_date(history):
    for name in ("made_by", "approved_by", "approved", "sent_by", "content", "kept"):
        spoil(history, f"ALTER TABLE entries DROP COLUMN {name}")
    spoil(history, "PRAGMA user_version = 1")

    (old,) = history.entries()
    people = People("root", "Anna", "2026-01-01T00:00:00Z", "Bo")
    number = history.begin(Dispatch("inbox", "up2", "d" * 64, "l" * 64, FILES, people=people))
    new = history.entry(number)

    assert (old.made_by, old.approved_by) == (None, None)
    assert (new.made_by, new.approved_by, new.approved, new.sent_by) == ("root", "Anna", "2026-01-01T00:00:00Z", "Bo")
    assert history.entry(old.entry) == old

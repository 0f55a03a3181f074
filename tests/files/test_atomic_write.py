"""Files and folders come whole or not at all, and nothing of anybody else's goes."""

import os
import stat
import time
from pathlib import Path

import pytest

from neat_delta.base.errors import WriteError
from neat_delta.files import atomic_write
from neat_delta.files.atomic_write import (
    BEFORE,
    LONGEST_RUN,
    draft_folder,
    recover_dir,
    replace_dir,
    temp_path,
    write_atomic,
)


def names_in(folder):
    return sorted(path.name for path in folder.iterdir())


def put(folder, draft_text, *, check=lambda _: None, remove=None):
    """Replace a folder by a draft with one file."""
    with draft_folder(folder) as draft:
        (draft / "file").write_text(draft_text)
        replace_dir(draft, folder, check, remove or removed)


def removed(folder):
    (folder / "file").unlink()
    folder.rmdir()


@pytest.fixture(params=["in one step", "in two steps"])
def steps(request, monkeypatch):
    """With the system's exchange of two names, and as where it has none."""
    if request.param == "in two steps":
        monkeypatch.setattr(atomic_write, "exchange", lambda _one, _other: False)


def aged(path, seconds):
    past = time.time() - seconds
    os.utime(path, (past, past))


def test_only_drafts_of_this_very_file_that_no_run_holds_are_cleared_away(tmp_path):
    strangers = [".a.csv.2.0123abcd.draft", ".a.csv.notes.draft", "a.csv.0123abcd.draft", ".b.csv.0123abcd.draft"]
    abandoned, young = tmp_path / ".a.csv.0123abcd.draft", tmp_path / ".a.csv.4567abcd.draft"
    for path in (*(tmp_path / name for name in strangers), abandoned, young):
        path.write_text("half")
        aged(path, 2 * LONGEST_RUN)
    os.utime(young)

    write_atomic(tmp_path / "a.csv", b"whole")

    assert names_in(tmp_path) == sorted(["a.csv", young.name, *strangers])


@pytest.mark.skipif(os.name != "posix", reason="folders cannot be held on this system")
def test_a_draft_that_a_run_holds_is_left_to_it_however_old(tmp_path):
    with draft_folder(tmp_path / "up") as draft:
        aged(draft, LONGEST_RUN - 60)

        temp_path(tmp_path / "up")

        assert draft.is_dir()


@pytest.mark.parametrize("moved", [False, True])
def test_a_run_killed_while_it_changed_folders_leaves_the_old_or_the_new(tmp_path, moved):
    folder, aside = tmp_path / "up", tmp_path / f".up.0123abcd{BEFORE}"
    neighbour = tmp_path / f".up.2.0123abcd{BEFORE}"
    for place, text in ((aside, "old"), (neighbour, "another's"), *([(folder, "new")] if moved else [])):
        place.mkdir()
        (place / "file").write_text(text)

    recover_dir(folder, removed)

    assert (folder / "file").read_text() == ("new" if moved else "old")
    assert names_in(tmp_path) == [neighbour.name, "up"]


def test_a_folder_takes_the_place_of_another(tmp_path, steps):
    put(tmp_path / "up", "old")

    put(tmp_path / "up", "new")

    assert (tmp_path / "up" / "file").read_text() == "new"
    assert names_in(tmp_path) == ["up"]


def test_what_somebody_put_into_the_old_folder_meanwhile_brings_it_back(tmp_path, steps):
    folder, calls = tmp_path / "up", []
    put(folder, "old")

    def check(now):
        calls.append(now)
        if len(calls) == 1:
            (now / "note.txt").write_text("mine")  # as if just after the first look
        elif (now / "note.txt").exists():
            raise WriteError("note.txt would be lost")

    with pytest.raises(WriteError):
        put(folder, "new", check=check)

    assert (folder / "file").read_text() == "old"
    assert (folder / "note.txt").read_text() == "mine"
    assert names_in(tmp_path) == ["up"]


def test_what_could_not_be_taken_away_of_the_old_folder_stays_on_the_disk(tmp_path):
    put(tmp_path / "up", "old")

    def leaving(folder):
        (folder / "late.txt").write_text("mine")  # as if between the last look and this

    put(tmp_path / "up", "new", remove=leaving)

    assert [path.read_text() for path in tmp_path.rglob("late.txt")] == ["mine"]
    assert (tmp_path / "up" / "file").read_text() == "new"


def test_a_failed_draft_leaves_nothing_not_even_folders_above(tmp_path):
    with pytest.raises(RuntimeError), draft_folder(tmp_path / "a" / "b" / "up"):
        raise RuntimeError

    assert names_in(tmp_path) == []


def test_a_file_that_stands_there_is_only_replaced_when_told(tmp_path):
    (tmp_path / "a.csv").write_text("mine")

    with pytest.raises(WriteError, match="the file already exists"):
        write_atomic(tmp_path / "a.csv", b"new")

    assert (tmp_path / "a.csv").read_text() == "mine"
    assert names_in(tmp_path) == ["a.csv"]


@pytest.mark.skipif(os.name != "posix", reason="modes are those of this system")
def test_a_replaced_file_keeps_its_mode_and_its_links(tmp_path):
    real, link = tmp_path / "real.csv", tmp_path / "link.csv"
    real.write_text("old")
    real.chmod(0o600)
    link.symlink_to("real.csv")

    write_atomic(link, b"new", replace=True)

    assert link.is_symlink()
    assert real.read_text() == "new"
    assert stat.S_IMODE(real.stat().st_mode) == 0o600


def test_all_is_on_the_disk_before_it_is_said(tmp_path, monkeypatch):
    synced = set()
    system = os.fsync

    def noting(number):
        synced.add(os.fstat(number).st_ino)
        system(number)

    monkeypatch.setattr(os, "fsync", noting)

    write_atomic(tmp_path / "a.csv", b"new")
    put(tmp_path / "up", "new")

    must = [tmp_path / "a.csv", tmp_path / "up" / "file"]
    must += [tmp_path, tmp_path / "up"] if os.name == "posix" else []
    assert {path.stat().st_ino for path in must} <= synced


def test_names_are_exchanged_where_the_system_can(tmp_path):
    for name in ("one", "other"):
        (tmp_path / name).mkdir()
        (tmp_path / name / name).touch()

    if atomic_write.exchange(tmp_path / "one", tmp_path / "other"):
        assert (tmp_path / "one" / "other").exists()
        assert (tmp_path / "other" / "one").exists()
    else:
        assert (tmp_path / "one" / "one").exists()


@pytest.mark.parametrize("code", [5, 32, 33])
def test_a_file_that_another_program_has_open_on_windows_is_named_as_such(tmp_path, monkeypatch, code):
    kept = tmp_path / "a.csv"
    kept.write_text("old")

    def refuse(*_):
        error = PermissionError(13, "Permission denied", "a.csv")
        error.winerror = code
        raise error

    monkeypatch.setattr(Path, "replace", refuse)
    with pytest.raises(WriteError, match=r"open in another program.*Close it in the spreadsheet program"):
        write_atomic(kept, b"new", replace=True)

    assert kept.read_text() == "old"
    assert names_in(tmp_path) == ["a.csv"]

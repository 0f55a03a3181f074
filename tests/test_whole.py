"""What a killed run leaves behind is put right by the next one."""

import os
import time

import pytest

from neat_delta.whole import BEFORE, LONGEST_RUN, draft_of, put_back, put_folder, write_whole


def test_old_drafts_are_cleared_away_and_young_ones_left_to_their_run(tmp_path):
    old, young = draft_of(tmp_path / "a.csv"), draft_of(tmp_path / "a.csv")
    old.mkdir()
    (old / "part").write_text("half")
    young.write_text("half")
    past = time.time() - 2 * LONGEST_RUN
    os.utime(old, (past, past))

    write_whole(tmp_path / "a.csv", b"whole")

    assert sorted(path.name for path in tmp_path.iterdir()) == sorted(["a.csv", young.name])


@pytest.mark.parametrize("moved", [False, True])
def test_a_run_killed_while_it_changed_folders_leaves_the_old_or_the_new(tmp_path, monkeypatch, moved):
    folder, draft = tmp_path / "up", draft_of(tmp_path / "up")
    for place, text in ((folder, "old"), (draft, "new")):
        place.mkdir()
        (place / "file").write_text(text)
    # As the disk is between the two moves, and after both.
    folder.rename(draft.with_suffix(BEFORE))
    if moved:
        draft.rename(folder)

    put_back(folder)

    assert (folder / "file").read_text() == ("new" if moved else "old")
    assert not list(tmp_path.glob(f".*{BEFORE}"))


def test_a_folder_takes_the_place_of_another(tmp_path):
    folder, draft = tmp_path / "up", draft_of(tmp_path / "up")
    for place, text in ((folder, "old"), (draft, "new")):
        place.mkdir()
        (place / "file").write_text(text)

    put_folder(draft, folder)

    assert (folder / "file").read_text() == "new"
    assert [path.name for path in tmp_path.iterdir()] == ["up"]

"""No command writes, changes or takes away anything but what it was asked to write."""

import contextlib
import io
import os
import shlex
import shutil
import subprocess
import threading
from pathlib import Path

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from helpers import PROGRAM, examples, files_in, neat_delta, refused, write_table
from neat_delta.base.exit_codes import Exit
from neat_delta.cli import app
from neat_delta.update import replaceable, write


@pytest.mark.parametrize(
    "command",
    [
        "compare live.csv edited.csv --write up2 --problems mine.xlsx",
        "adjust live.csv --set 'price = price * 2' --out d.jsonl --problems mine.xlsx",
        "check c.jsonl --problems mine.xlsx",
        "refresh c.jsonl live.csv --out d.jsonl --conflicts mine.xlsx",
        "preview c.jsonl --page mine.html",
        "preview c.jsonl --review mine.xlsx",
        "preview c.jsonl --charts pictures --page new.html --review new.xlsx",
        "sheet live.csv -o mine.csv",
        "send up --to inbox --import-report mine.csv",
        "shop export shop -o mine.csv",
        "shop import shop up/01-changes.csv --import-report mine.csv",
        "compare live.csv edited.csv --out c.jsonl",
        "pick c.jsonl --only price --out c2.jsonl",
        "refresh c.jsonl live.csv --out c2.jsonl",
        "verify c.jsonl live.csv --out c2.jsonl",
        "shop open shop --from live.csv",
    ],
)
def test_nobodys_file_is_written_over_unless_it_is_said(work, command):
    shutil.copy(work / "c.jsonl", work / "c2.jsonl")

    assert "Use --overwrite" in refused(work, command)
    assert neat_delta(*shlex.split(command), "--overwrite", cwd=work).returncode in (Exit.DONE, Exit.ATTENTION)


@pytest.mark.parametrize(
    "command",
    [
        "compare live.csv edited.csv --problems live.csv",
        "preview c.jsonl --page live.csv",
        "preview c.jsonl --page shop/../live.csv",
        "check c.jsonl --problems live.csv",
        "send up --to inbox --import-report up/receipt.json",
        "check c.jsonl --live live.csv --problems c.jsonl",
        "compare live.csv edited.csv --problems catalogue.toml",
    ],
)
def test_what_is_read_is_never_written_over(work, command):
    (work / "catalogue.toml").write_text('key = ["sku"]')

    assert "this is an input file" in refused(work, f"{command} --overwrite")


@pytest.mark.parametrize(
    "command",
    [
        "preview c.jsonl --page x.html --review x.html",
        "preview c.jsonl --page X.html --review x.html",
        "preview c.jsonl --page x.html --review ./inbox/../x.html",
        "compare live.csv edited.csv --out x.jsonl --conflicts x.jsonl",
        "refresh c.jsonl live.csv --out x.jsonl --conflicts x.jsonl",
    ],
)
def test_two_outputs_never_share_a_file(work, command):
    assert "two outputs have the same name" in refused(work, command)


def test_nothing_else_goes_into_the_folder_of_an_update(work):
    said = refused(work, "compare live.csv edited.csv --write new --out new/c.jsonl")

    assert "the folder of an update can hold only the update" in said


@pytest.mark.parametrize("what", ["notes.txt", "undo/notes.txt", "mine/notes.txt", "history.sqlite", ".hidden"])
def test_an_update_takes_no_place_in_which_something_else_lies(work, what):
    (work / "up" / what).parent.mkdir(exist_ok=True)
    (work / "up" / what).write_text("hours of work")

    assert f"up: {what.split('/')[0] if what[0] == 'm' else what} does not belong to the update" in refused(
        work, "write c.jsonl -o up --overwrite"
    )


def test_an_update_whose_file_was_changed_by_hand_stays(work):
    with (work / "up/01-changes.csv").open("a") as file:
        file.write("B,2.00\n")

    assert "up: 01-changes.csv was changed" in refused(work, "write c.jsonl -o up --overwrite")


def test_the_live_export_in_an_updates_folder_survives(work):
    shutil.copy(work / "live.csv", work / "up" / "live.csv")

    assert "live.csv does not belong to the update" in refused(
        work, "compare up/live.csv edited.csv --write up --overwrite"
    )


def test_an_undo_does_not_destroy_the_change_set_it_is_made_from(work):
    said = refused(work, "undo up/update.changes.jsonl -o up --overwrite --live live.csv")

    assert "update.changes.jsonl in this folder is an input file" in said


def test_a_receipt_that_lists_what_lies_elsewhere_is_no_leave_to_replace_it(work):
    receipt = work / "up/receipt.json"
    receipt.write_text(receipt.read_text().replace('"01-changes.csv"', '"../mine.csv"'))

    assert "the folder is not empty" in refused(work, "write c.jsonl -o up --overwrite")


def test_an_untouched_update_is_replaced_and_its_neighbours_are_not(work):
    for name in (".up.2.0123abcd.before", ".up.2.0123abcd.draft", "up.2", ".up.before"):
        (work / name).mkdir()
        (work / name / "notes.txt").write_text("hours of work")
    kept = files_in(work)

    done = neat_delta("write", "c.jsonl", "-o", "up", "--overwrite", "--pack", "exact", cwd=work)

    assert done.returncode == Exit.DONE
    after = files_in(work)
    assert {name for name in kept if kept[name] != after.get(name)} <= {"up/receipt.json"}
    assert after.keys() == kept.keys()


def test_a_link_to_an_updates_folder_stays_a_link(work):
    (work / "link").symlink_to("up", target_is_directory=True)

    done = neat_delta("write", "c.jsonl", "-o", "link", "--overwrite", cwd=work)

    assert done.returncode == Exit.DONE, done.stderr
    assert (work / "link").is_symlink()
    assert (work / "up/receipt.json").is_file()


def test_of_two_that_write_into_one_folder_at_once_one_is_refused(work, monkeypatch, capsys):
    """Both have looked at the folder before one of them has written."""
    shutil.rmtree(work / "up")
    monkeypatch.chdir(work)
    looked = threading.Barrier(2, timeout=300)
    codes = []
    look = replaceable.check_replaceable

    def look_together(folder, *args, **options):
        found = look(folder, *args, **options)
        if len(threading.enumerate()) > 2 and not getattr(here, "looked", False):
            here.looked = True
            looked.wait()
        return found

    here = threading.local()
    monkeypatch.setattr(write, "check_replaceable", look_together)
    runs = [threading.Thread(target=lambda: codes.append(app.run(["write", "c.jsonl", "-o", "up"]))) for _ in range(2)]
    for run in runs:
        run.start()
    for run in runs:
        run.join()

    assert sorted(codes) == [Exit.DONE, Exit.UNUSABLE]
    assert (work / "up/receipt.json").is_file()


def test_writers_into_one_folder_at_once_never_take_each_others_update(work):
    """As many as really run at once: each that reports success without --overwrite must find its update there."""
    shutil.rmtree(work / "up")
    runs = [
        subprocess.Popen([PROGRAM, "write", "c.jsonl", "-o", "up", "--quiet"], cwd=work, stderr=subprocess.PIPE)
        for _ in range(4)
    ]
    assert sorted(run.wait(timeout=600) for run in runs) == [0, 3, 3, 3]
    for run in runs:
        run.stderr.close()


@pytest.mark.parametrize("device", ["/dev/null", "."])
def test_what_is_no_file_is_not_replaced(work, device):
    assert "neat-delta: " in refused(work, f"check c.jsonl --problems {device} --overwrite")
    assert not Path(os.devnull).is_file()


def test_the_demo_takes_no_folder_that_is_in_use(work):
    assert "the folder is not empty" in refused(work, "demo up")
    assert "Use a new one: neat-delta demo shop-2" in refused(work, "demo shop")


paths = st.sampled_from(
    ["new.x", "live.csv", "edited.csv", "c.jsonl", "mine.csv", "mine.html", "up", "up/x", "up/01-changes.csv",
     "inbox/x", "link.csv", "none/x",
     "catalogue.toml", "history.sqlite", "shop/shop.sqlite", "pictures/margins.png", "./mine.csv"]
)  # fmt: skip
folders = st.sampled_from(["new", "up", "inbox", "pictures", "shop", ".", "mine.csv", "none/new", "up/undo", "link-up"])
wishes = st.one_of(
    st.builds("compare live.csv edited.csv --out {}".format, paths),
    st.builds("compare live.csv edited.csv --out {} --problems {} --write {}".format, paths, paths, folders),
    st.builds("adjust live.csv --set 'price=price*2' --problems {} --write {}".format, paths, folders),
    st.builds("compare live.csv edited.csv --map price=price --save-profile mine --catalogue {}".format, paths),
    st.builds("check c.jsonl --problems {}".format, paths),
    st.builds("preview c.jsonl --page {} --review {}".format, paths, paths),
    st.builds("preview c.jsonl --charts {}".format, folders),
    st.builds("preview c.jsonl --quotes live.csv --quotes-csv {}".format, paths),
    st.builds("pick c.jsonl --only price --out {}".format, paths),
    st.builds("refresh c.jsonl live.csv --out {} --problems {}".format, paths, paths),
    st.builds("verify c.jsonl live.csv --out {}".format, paths),
    st.builds("sheet live.csv -o {}.csv".format, paths),
    st.builds("write c.jsonl -o {}".format, folders),
    st.builds("undo c.jsonl -o {}".format, folders),
    st.builds("send up --to {} --history {}".format, folders, st.sampled_from(["j.sqlite", "history.sqlite"])),
    st.builds("send up --to inbox --import-report {}".format, paths),
    st.builds("setup live.csv -o {}".format, paths),
    st.builds("shop export shop -o {}".format, paths),
    st.builds("shop open {} --from live.csv".format, folders),
    st.builds("demo {}".format, st.sampled_from(["up", "inbox/x/../../up", "pictures", "mine.csv"])),
)


@settings(max_examples=examples(15))
@example("send up --to inbox --import-report history.sqlite", "")
@given(wishes, st.sampled_from(["", " --overwrite"]))
def test_no_command_touches_a_path_that_it_does_not_name(tmp_path_factory, wish, replace):
    work = tmp_path_factory.mktemp("wish")
    _full_of_work(work)
    before = files_in(work)
    outputs = io.StringIO(), io.StringIO()

    with contextlib.chdir(work), contextlib.redirect_stdout(outputs[0]), contextlib.redirect_stderr(outputs[1]):
        code = app.run(shlex.split(wish + replace))

    after = files_in(work)
    # What a link leads to is touched under its own name.
    names = {name for name in before.keys() | after.keys() if not name.startswith("link")}
    touched = {name for name in names if before.get(name) != after.get(name)}
    said = outputs[0].getvalue().replace("\n", " ") + wish * (code >= Exit.USAGE)  # a failed sending is recorded, too
    for name in touched:
        places = [name, *(str(parent) for parent in Path(name).parents if str(parent) != ".")]
        linked = ["link.csv"] * (name == "mine.csv") + ["link-up"] * name.startswith("up/")
        assert any(place in said for place in [*places, *linked]), (wish, code, name, said)
    for name in ("live.csv", "up/notes.txt", *(("edited.csv", "mine.html") if not replace else ())):
        assert after.get(name) == before[name], (wish, name)
    assert not [name for name in after if ".draft" in name or ".before" in name]
    if code >= Exit.USAGE:
        assert touched <= {"j.sqlite", "history.sqlite", "up/sent.json"}, (wish, touched, outputs[1].getvalue())


_template: list[Path] = []


def _full_of_work(work: Path) -> None:
    """Fill a folder with everything that could be hurt; made once by the program itself, then copied."""
    if not _template:
        made = work.resolve().with_name("template")
        made.mkdir()
        head = ["sku", "price", "cost", "category"]
        write_table(made / "live.csv", [head, ["A", "1.00", "0.50", "x"], ["B", "2.00", "0.50", "y"]])
        write_table(made / "edited.csv", [head, ["A", "1.10", "0.50", "x"], ["B", "2.00", "0.40", "y"]])
        for command in (
            "compare live.csv edited.csv --out c.jsonl",
            "shop open shop --from live.csv",
            "write c.jsonl -o up",
        ):
            assert neat_delta(*shlex.split(command), cwd=made).returncode == 0
        for folder in ("inbox", "pictures"):
            (made / folder).mkdir()
        for name in ("mine.csv", "mine.html", "up/notes.txt", "pictures/margins.png", "inbox/other.csv"):
            (made / name).write_text("hours of work")
        (made / "catalogue.toml").write_text('key = ["sku"]\n')
        _template.append(made)
    shutil.copytree(_template[0], work, dirs_exist_ok=True)
    (work / "link.csv").symlink_to("mine.csv")
    (work / "link-up").symlink_to("up", target_is_directory=True)

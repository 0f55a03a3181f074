"""The installed program, run as a person or a schedule runs it."""

import io
import json
import os
import re
import shlex
import shutil
import subprocess
import sys
from importlib.resources import files

import click
import pytest

from helpers import (
    PROGRAM,
    files_in,
    import_into,
    neat_delta,
    own_process,
    python_m,
    read_rows,
    update_files,
    widest,
    write_table,
)
from neat_delta.cli import app

LIVE = [["sku", "name", "price"], ["A", "Ä", "1.00"], ["B", "b", "2.00"], ["C", "c", "3.00"]]
EDITED = [["sku", "name", "price"], ["A", "Ä", "1.10"], ["B", "bb", "2.00"], ["C", "c", "3.00"]]
DAMAGED = [*EDITED, ["B", "other", "2.00"], ["", "x", "1"], ["E", "x"]]


@pytest.fixture
def shop(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "edited.csv", EDITED)
    write_table(tmp_path / "damaged.csv", DAMAGED)
    return tmp_path


@pytest.fixture
def demo(tmp_path):
    for name in ("live.csv", "edited.csv"):
        shutil.copyfile(str(files("neat_delta.demo_shop") / name), tmp_path / name)
    return tmp_path


def test_the_whole_way_in_one_command_and_in_two(shop):
    one = neat_delta("compare", "live.csv", "edited.csv", "--out", "c.jsonl", "--write", "one", cwd=shop)
    two = neat_delta("write", "c.jsonl", "-o", "two", cwd=shop)

    assert (one.returncode, two.returncode) == (0, 0)
    assert one.stderr == two.stderr == ""
    assert "tested on a copy of live.csv: these files give exactly the reviewed changes, 2" in " ".join(
        one.stdout.split()
    )
    for folder in ("one", "two"):
        got = import_into(LIVE, update_files(shop / folder))
        assert got == EDITED
        assert import_into(got, update_files(shop / folder / "undo")) == LIVE


def test_what_the_undo_cannot_empty_is_said(shop):
    write_table(shop / "live.csv", [*LIVE, ["D", "", "4.00"]])
    write_table(shop / "edited.csv", [*EDITED, ["D", "d", "4.00"]])
    (shop / "catalogue.toml").write_text('key = ["sku"]\n[import]\nblank = "leaves"\n[fields.name]\n')

    done = neat_delta("compare", "live.csv", "edited.csv", "--write", "up", cwd=shop)

    assert "but 1 cell that the update fills stays filled after the undo" in " ".join(done.stdout.split())


def test_what_is_held_back_ends_with_one_and_is_named(shop):
    done = neat_delta("compare", "live.csv", "damaged.csv", "--write", "up", cwd=shop)

    assert done.returncode == 1
    assert "changed 1 · unchanged 1 · new 0 · duplicate 2 · unreadable 2 · rejected 0" in " ".join(done.stdout.split())
    assert "= 6 rows read" in done.stdout
    assert "same SKU with different values (lines 3, 5). Keep one row" in " ".join(done.stdout.split())
    assert re.search(r"line 3\s+B\s+b\s+name\s+bb\n.*line 5\s+B\s+b\s+name\s+other", done.stdout)
    assert "too few cells: 2, but the header has 3" in " ".join(done.stdout.split())
    assert import_into(LIVE, update_files(shop / "up"))[1:3] == [["A", "Ä", "1.10"], ["B", "b", "2.00"]]


@pytest.mark.parametrize(
    ("args", "reason"),
    [
        (["compare", "live.csv", "none.csv"], "none.csv: file not found. Check the name"),
        (
            ["compare", "live.csv", "edited.csv", "--key", "ean"],
            "--key ean: this column is not in both files. Columns of",
        ),
        (["compare", "live.csv", "edited.csv", "--type", "price"], "is not FIELD=TYPE"),
        (
            ["compare", "live.csv", "edited.csv", "--type", "price=cash"],
            "there is no such type. Types: barcode, category, choice",
        ),
        (["compare", "live.csv", "edited.csv", "--out", "live.csv"], "this is an input file"),
        (["compare", "live.csv", "edited.csv", "--out", "no/folder/c.jsonl"], "there is no folder no/folder"),
        (["compare", "live.csv", "edited.csv", "--write", "."], "the folder is not empty"),
        (["compare", "live.csv"], "Missing argument 'EDITED…'"),
        (["compare", "live.csv", "edited.csv", "--blanks", "maybe"], "is not one of 'leave', 'clear'"),
        (["write", "live.csv", "-o", "up"], "live.csv, line 1: this is not a change set"),
        (["write", "kept.jsonl", "-o", "up", "--live", "edited.csv"], "this change set was made from another export ("),
        (["demo", "."], "the folder is not empty"),
        (["nonsense"], "No such command 'nonsense'"),
        (["compere", "live.csv"], "There is no command 'compere'. Did you mean 'compare'?"),
    ],
)
def test_a_call_that_cannot_be_done_ends_with_two_and_says_why(shop, args, reason):
    if "kept.jsonl" in args:
        neat_delta("compare", "live.csv", "edited.csv", "--out", "kept.jsonl", cwd=shop)
    before = files_in(shop).keys()

    failed = neat_delta(*args, cwd=shop)

    assert failed.returncode in (2, 3)
    assert failed.stdout == ""
    assert reason in " ".join(failed.stderr.split())
    assert "Traceback" not in failed.stderr
    assert files_in(shop).keys() == before


def test_json_is_all_there_is_on_standard_output(shop):
    done = neat_delta(
        "compare", "live.csv", "damaged.csv", "--json", "--write", "up", "--status", "duplicate", cwd=shop
    )

    told = json.loads(done.stdout)["result"]
    assert done.returncode == 1
    assert told["counts"] == {
        "changed": 1, "unchanged": 1, "new": 0, "duplicate": 2, "unreadable": 2, "rejected": 0, "missing": 0,
    }  # fmt: skip
    assert told["problems"] == {"error": 4, "warning": 0, "note": 0}
    assert [(f["file"], f["rows"], f["columns"]) for f in told["files"]] == [("01-changes.csv", 1, ["sku", "price"])]
    assert [row["line"] for row in told["rows"]["duplicate"]] == [3, 5]


def test_quiet_says_nothing_but_problems(shop):
    good = neat_delta("compare", "live.csv", "edited.csv", "--quiet", cwd=shop)
    bad = neat_delta("compare", "live.csv", "damaged.csv", "--quiet", cwd=shop)

    assert (good.returncode, good.stdout, good.stderr) == (0, "", "")
    assert (bad.returncode, bad.stdout) == (1, "")
    assert "4 errors were not sent" in bad.stderr


def test_colours_only_where_they_are_wanted(shop):
    command = ("compare", "live.csv", "edited.csv")
    screen = {"FORCE_COLOR": "1", "TERM": "xterm-256color", "COLORTERM": "truecolor"}
    blue = "\x1b[38;2;0;114;178m"

    assert "\x1b[" not in neat_delta(*command, cwd=shop).stdout
    assert blue in neat_delta(*command, cwd=shop, **screen).stdout
    assert blue not in neat_delta(*command, cwd=shop, NO_COLOR="1", **screen).stdout
    assert blue not in neat_delta(*command, "--no-colour", cwd=shop, **screen).stdout


@pytest.mark.parametrize("width", [40, 60, 80, 200])
def test_the_view_fits_the_screen(demo, width):
    done = neat_delta("compare", "live.csv", "edited.csv", "--all", cwd=demo, COLUMNS=str(width))

    assert widest(done.stdout) <= width
    assert "--all shows every one" not in done.stdout


def test_long_lists_are_cut_and_say_how_to_see_all(tmp_path):
    live = [["sku", "price"], *([f"A{at}", f"{at}.50"] for at in range(60))]
    write_table(tmp_path / "live.csv", live)
    write_table(tmp_path / "edited.csv", [live[0], *([code, f"{at}.75"] for at, (code, _) in enumerate(live[1:51]))])

    done = neat_delta("compare", "live.csv", "edited.csv", cwd=tmp_path)
    gone = neat_delta("compare", "live.csv", "edited.csv", "--status", "missing", cwd=tmp_path)

    assert "… and 30 more items: --all shows every one" in done.stdout
    assert "A52" in done.stdout
    assert "A59" not in done.stdout
    assert "A59" in gone.stdout


def test_a_hostile_cell_cannot_reach_the_terminal(shop):
    write_table(shop / "evil.csv", [LIVE[0], ["A", "\x1b[31mred\x1b[0m [bold]x[/bold]", "1.00"], *LIVE[2:]])

    done = neat_delta("compare", "live.csv", "evil.csv", cwd=shop, FORCE_COLOR="1")

    assert "\x1b[31m" not in done.stdout
    assert "[bold]x[/bold]" in done.stdout


def test_a_closed_pipe_is_no_error(demo):
    script = f"'{PROGRAM}' compare live.csv edited.csv --all | head -1"
    done = subprocess.run(["bash", "-c", script], cwd=demo, capture_output=True, text=True, check=False, timeout=600)

    assert done.stdout.startswith("  live")
    assert done.stderr == ""


def test_the_demo_goes_the_whole_way_and_its_files_do_what_it_says(tmp_path):
    done = own_process("demo", "shop", "--full", cwd=tmp_path)
    again = own_process("demo", "shop", cwd=tmp_path)

    assert (done.returncode, again.returncode, done.stderr) == (0, 3, "")
    assert "rejected 2   = 76 rows read" in done.stdout
    folder = tmp_path / "shop"
    live, edited = read_rows(folder / "live.csv"), read_rows(folder / "edited.csv", delimiter=";", charset="cp1252")
    got = import_into(live, update_files(folder / "updates"))
    price, stock = live[0].index("price"), live[0].index("stock_main")
    wanted = {row[0]: row for row in edited if len(row) == 24}
    honest = [row for row in got[1:] if row[0] in wanted and row[0] not in ("QX-0060", "10-05")]

    assert (len(live), len(live[0])) == (641, 24)
    assert sum(old != new for old, new in zip(live, got, strict=True)) == 64
    for row in honest:
        assert float(row[price]) == float(wanted[row[0]][price].replace(",", "."))
        assert row[stock] == wanted[row[0]][stock]
    assert import_into(got, update_files(folder / "updates/undo")) == live


def test_help_version_and_module_door(tmp_path):
    assert "compare" in neat_delta("--help", cwd=tmp_path).stdout
    assert neat_delta("--version", cwd=tmp_path).stdout == python_m("--version", cwd=tmp_path).stdout


def test_the_program_starts_without_its_heavy_packages(tmp_path):
    code = (
        "import sys; from neat_delta.cli.app import run; run(['--help']); print({'polars', 'rich'} & set(sys.modules))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)

    assert done.stdout.splitlines()[-1] == "set()"


def test_help_lists_each_command_whole_and_each_option_in_a_group(tmp_path):
    listed = neat_delta("--help", cwd=tmp_path).stdout
    for name, summary in app.COMMANDS.items():
        command = app.cli.get_command(None, name)
        text = neat_delta(name, "--help", cwd=tmp_path).stdout
        short = neat_delta(name, "-h", cwd=tmp_path).stdout

        assert f"{name.ljust(9)}{summary}" in listed
        if name == "shop":
            continue
        assert f"Examples:\n  neat-delta {name}" in text
        assert all(
            f"--{param.opts[-1].lstrip('-')}" in text for param in command.params if isinstance(param, click.Option)
        )
        assert len(short.splitlines()) <= 25
        assert f"All options: neat-delta {name} --help" in short


def test_a_console_keeps_the_layer_that_python_gives_it():
    """On Windows that layer writes Unicode, whatever the code page; bytes of our own would be shown as other signs."""

    class Console(io.TextIOWrapper):
        def isatty(self):
            return True

    bytes_sent = io.BytesIO()
    console = Console(bytes_sent, encoding="cp437")

    shown = app._patient(console, BrokenPipeError)
    shown.write("▲ 12 · ½")
    shown.flush()

    assert shown is console
    assert bytes_sent.getvalue().decode("cp437") == "^ 12 · ½"


@pytest.fixture
def completing(tmp_path):
    """A folder with the files that a command line may name; gives what a shell is told for what is typed there."""
    write_table(tmp_path / "live.csv", [["sku", "Price", "name"], ["A", "1.00", "lid"]], delimiter=";")
    write_table(tmp_path / "edited.csv", [["sku", "Price"], ["A", "2.00"]], delimiter=";")
    (tmp_path / "catalogue.toml").write_text("[profiles.kelp]\n[profiles.other]\n")
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", cwd=tmp_path)

    def told(shell, typed):
        *before, last = typed.split(" ")
        at = last if shell == "fish" else str(len(before))
        env = os.environ | {"_NEAT_DELTA_COMPLETE": f"{shell}_complete", "COMP_WORDS": typed, "COMP_CWORD": at}
        return subprocess.run(
            [PROGRAM], cwd=tmp_path, env=env, capture_output=True, text=True, check=True
        ).stdout.splitlines()

    return told


@pytest.mark.parametrize(
    ("typed", "offered"),
    [
        ("neat-delta compare live.csv edited.csv --skip pr", "price"),
        ("neat-delta compare live.csv edited.csv --ignore wrong", "wrong barcode"),
        ("neat-delta compare live.csv edited.csv --profile k", "kelp"),
        ("neat-delta preview c.changes.jsonl --only p", "price"),
        ("neat-delta appr", "approve"),
    ],
)
def test_the_shells_offer_fields_checks_profiles_and_commands(completing, typed, offered):
    assert [line.partition(",")[2] for line in completing("bash", typed)] == [shlex.quote(offered)]
    assert offered in completing("fish", typed)[0] and offered in completing("zsh", typed)
    assert completing("powershell", typed)[1] == (f"'{offered}'" if " " in offered else offered)


def test_completion_in_powershell_takes_paths_as_windows_has_them(completing, tmp_path):
    (tmp_path / ".\\list.csv").write_text("sku,colour\nA,red\n")
    assert completing("powershell", 'neat-delta compare live.csv ".\\list.csv" --skip co')[1] == "colour"


@pytest.mark.parametrize(
    ("type_", "was", "now", "said"),
    [
        ("text", f"<p>{'long ' * 40}</p>\r\n", f"<p>{'long ' * 40}</p>\n", "in format (such as line ends)"),
        (
            "number",
            f"1.5{'0' * 60}",
            "1.5",
            "in format (1.5 for 1.5000000000…00000000000)",
        ),
        ("number", f"1.5{'0' * 60}", f"1.5{'0' * 70}", "in format"),
    ],
)
def test_what_differs_only_in_format_is_told_apart_in_a_line(tmp_path, type_, was, now, said):
    for name, cell in (("live.csv", was), ("edited.csv", now)):
        write_table(tmp_path / name, [["sku", "field"], ["KT-1", cell], ["KT-2", "2.25"]])
    shown = neat_delta("compare", "live.csv", "edited.csv", "--type", f"field={type_}", cwd=tmp_path)
    assert f"ignored 1 cell differs only {said} result" in " ".join(shown.stdout.split())

"""Runs that are stopped, run out of room, or meet a internal error itself."""

import json
import os
import signal
import subprocess
import sys
import time

import pytest

from helpers import PROGRAM, names_in, neat_delta, refused, write_table
from neat_delta.base.exit_codes import Exit
from neat_delta.cli import app
from neat_delta.update import write


@pytest.fixture
def shop(tmp_path):
    rows = [[f"S{at:06}", f"näme {at}", "1.00"] for at in range(60_000)]
    write_table(tmp_path / "live.csv", [["sku", "name", "price"], *rows])
    write_table(tmp_path / "edited.csv", [["sku", "name", "price"], *([*row[:2], "1.10"] for row in rows)])
    return tmp_path


@pytest.mark.parametrize("wait", [0.2, 0.5, 0.8])
def test_a_stopped_run_leaves_everything_or_nothing(shop, wait):
    command = [PROGRAM, "compare", "live.csv", "edited.csv", "--write", "up", "--out", "c.jsonl", "--quiet"]
    run = subprocess.Popen(command, cwd=shop, stderr=subprocess.PIPE, preexec_fn=_hear_interrupts)
    time.sleep(wait)
    run.send_signal(signal.SIGINT)
    _, said = run.communicate(timeout=600)

    # Before the program has begun, the interpreter itself ends the run, by the signal or with its trace.
    assert run.returncode in (Exit.DONE, Exit.INTERRUPTED, -signal.SIGINT, 1)
    left = names_in(shop) - {"live.csv", "edited.csv"}
    assert left in ({"up", "c.jsonl"}, {"c.jsonl"}, set())
    if "up" in left:
        assert (shop / "up/receipt.json").is_file()
    if run.returncode == Exit.INTERRUPTED:
        assert b"no partial files were left" in said


def _hear_interrupts():
    signal.signal(signal.SIGINT, signal.default_int_handler)


@pytest.mark.skipif(not os.path.exists("/dev/full"), reason="this system has no device that is always full")  # noqa: PTH110
@pytest.mark.parametrize("manner", [["--json"], []], ids=["json", "view"])
def test_output_that_cannot_be_written_is_no_success(shop, manner):
    with open("/dev/full", "w") as full:  # noqa: PTH123
        command = [PROGRAM, "compare", "live.csv", "edited.csv", *manner]
        done = subprocess.run(command, cwd=shop, stdout=full, stderr=subprocess.PIPE, text=True, check=False)

    assert done.returncode == Exit.UNUSABLE
    assert "No space left" in done.stderr


@pytest.mark.parametrize(
    "command",
    [
        "compare live.csv edited.csv --sku-changes broken.csv",
        "compare live.csv edited.csv --map-file broken.csv",
        "preview c.jsonl --quotes broken.csv",
        "pick c.jsonl --failed broken.csv --out p.jsonl",
        "refresh c.jsonl broken.csv --out f.jsonl",
        "verify c.jsonl broken.csv",
        "undo c.jsonl -o back --fresh broken.csv",
        "shop open shop2 --from broken.csv",
    ],
)
def test_a_row_that_matters_and_cannot_be_read_is_not_passed_over(work, command):
    (work / "broken.csv").write_text("sku,price\nB,1.00\nA\n")

    assert "broken.csv, line 3: cannot read this row" in refused(work, command)


def test_a_sheet_tells_which_rows_of_the_export_it_cannot_have(work):
    (work / "broken.csv").write_text("sku,price\nB,1.00\nA\n")

    done = neat_delta("sheet", "broken.csv", "-o", "s.csv", cwd=work)

    assert (done.returncode, "1 row of broken.csv cannot be read" in done.stdout) == (Exit.ATTENTION, True)


def test_a_full_disk_ends_with_the_reason_and_leaves_nothing(tmp_path, monkeypatch, capsys):
    a = write_table(tmp_path / "live.csv", [["sku", "n"], ["A", "ä"]])
    b = write_table(tmp_path / "edited.csv", [["sku", "n"], ["A", "ö"]])

    def full(*_, **__):
        raise OSError(28, "No space left on device", "receipt.json")

    monkeypatch.setattr(write, "json_bytes", full)
    code = app.run(["compare", str(a), str(b), "--write", str(tmp_path / "up")])

    assert code == Exit.UNUSABLE
    assert "receipt.json: No space left on device" in capsys.readouterr().err
    assert names_in(tmp_path) == {"edited.csv", "live.csv"}


@pytest.mark.parametrize("fault", [ZeroDivisionError("ours"), BaseException("a panic in a compiled library")])
def test_a_fault_of_the_program_never_ends_with_the_code_for_attention(tmp_path, monkeypatch, capsys, fault):
    def fail(*_args, **_options):
        raise fault

    monkeypatch.setattr("neat_delta.workflows.inputs.read_pair", fail)
    code = app.run(["compare", str(tmp_path / "a"), str(tmp_path / "b")])

    assert code == Exit.UNUSABLE
    assert "internal error" in capsys.readouterr().err


@pytest.mark.parametrize(("price", "code"), [("2.00", 0), ("on request", 1)])
@pytest.mark.parametrize("manner", [[], ["--json"]])
def test_a_reader_that_has_gone_does_not_change_what_a_command_ends_with(tmp_path, price, code, manner):
    write_table(tmp_path / "live.csv", [["sku", "price"], ["A", "1.90"]])
    write_table(tmp_path / "edited.csv", [["sku", "price"], ["A", price]])
    edited, ours = os.pipe()
    os.close(edited)

    done = subprocess.run(
        [PROGRAM, "compare", "live.csv", "edited.csv", *manner], cwd=tmp_path, stdout=ours, stderr=subprocess.PIPE
    )
    os.close(ours)

    assert (done.returncode, done.stderr) == (code, b"")


@pytest.mark.parametrize("charset", ["ascii", "cp1252", "utf-8"])
def test_a_terminal_that_lacks_signs_shows_others_and_json_is_whole(tmp_path, charset):
    write_table(tmp_path / "live.csv", [["sku", "näme ″", "price"], ["A", "x", "1.90"]])
    write_table(tmp_path / "edited.csv", [["sku", "näme ″", "price"], ["A", "ż", "2.00"]])
    command, env = [PROGRAM, "compare", "live.csv", "edited.csv"], {**os.environ, "PYTHONIOENCODING": charset}

    shown = subprocess.run(command, cwd=tmp_path, env=env, capture_output=True)
    told = subprocess.run([*command, "--json"], cwd=tmp_path, env=env, capture_output=True)

    assert (shown.returncode, shown.stderr, told.returncode) == (0, b"", 0)
    name, up = ("ż", "▲") if charset == "utf-8" else ("?", "^")
    assert f" {up} 1 " in shown.stdout.decode(charset)
    assert f" {name}\n" in shown.stdout.decode(charset)
    assert json.loads(told.stdout)["result"]["fields"]["näme"]["column"] == "näme ″"


def test_no_standard_output_at_all_is_no_fault(tmp_path):
    write_table(tmp_path / "live.csv", [["sku", "price"], ["A", "1.90"]])

    assert subprocess.run(f'"{PROGRAM}" inspect live.csv >&-', shell=True, cwd=tmp_path).returncode == 0


def test_write_finds_the_live_export_beside_the_change_set_or_asks(tmp_path):
    folder = tmp_path / "shop"
    folder.mkdir()
    write_table(folder / "live.csv", [["sku", "n"], ["A", "ä"]])
    write_table(folder / "edited.csv", [["sku", "n"], ["A", "ö"]])
    (tmp_path / "catalogue.toml").write_text("[store]\nkeep = false\n")
    neat_delta("compare", "shop/live.csv", "shop/edited.csv", "--out", "shop/c.jsonl", cwd=tmp_path)

    beside = neat_delta("write", "shop/c.jsonl", "-o", "up", cwd=tmp_path)
    (folder / "live.csv").rename(tmp_path / "moved.csv")
    lost = neat_delta("write", "shop/c.jsonl", "-o", "up2", cwd=tmp_path)
    told = neat_delta("write", "shop/c.jsonl", "-o", "up3", "--live", "moved.csv", "--json", cwd=tmp_path)

    assert (beside.returncode, lost.returncode, told.returncode) == (0, 3, 0)
    assert "Give it with --live FILE" in lost.stderr
    assert '"verdict": "proved"' in told.stdout


@pytest.mark.skipif(sys.platform != "linux", reason="only some systems have names that are no text")
def test_a_name_that_is_no_text_is_a_name_like_any_other(tmp_path):
    """Names of files may be any bytes; what is shown or kept of them has U+FFFD for what is no text."""
    write_table(tmp_path / "live.csv", [["sku", "price"], ["A", "1.90"]])
    odd = os.fsdecode(b"caf\xe9.csv")
    write_table(tmp_path / odd, [["sku", "price"], ["A", "2.00"]])
    calls = (
        ("inspect", odd, "--json"),
        ("compare", "live.csv", odd, "--json"),
        ("compare", "live.csv", odd, "-o", os.fsdecode(b"\xe9.jsonl"), "--write", os.fsdecode(b"w\xe9")),
        ("preview", os.fsdecode(b"\xe9.jsonl"), "--page", os.fsdecode(b"p\xe9.html")),
        ("preview", os.fsdecode(b"\xe9.jsonl"), "--review", os.fsdecode(b"r\xe9.xlsx")),
        ("sheet", odd, "-o", os.fsdecode(b"s\xe9.csv")),
    )  # fmt: skip
    for call in calls:
        done = subprocess.run([PROGRAM, *call], cwd=tmp_path, capture_output=True, check=False)
        assert (done.returncode, done.stderr) == (0, b""), call


@pytest.mark.skipif(os.name != "posix", reason="streams are closed in another way there")
@pytest.mark.parametrize(
    ("closed", "name", "code"),
    [
        ("2>&-", "edited.csv", 0),
        ("2>&-", "nosuch.csv", 3),
        ("<&- >&- 2>&-", "edited.csv", 0),
        ("2>/dev/full", "nosuch.csv", 3),
    ],
)
def test_closed_or_full_streams_change_nothing(tmp_path, closed, name, code):
    write_table(tmp_path / "live.csv", [["sku", "price"], ["A", "1.90"]])
    write_table(tmp_path / "edited.csv", [["sku", "price"], ["A", "2.00"]])

    done = subprocess.run(
        f"{PROGRAM} compare live.csv {name} --write up {closed}", shell=True, cwd=tmp_path, check=False
    )

    assert done.returncode == code
    assert (tmp_path / "up").exists() == (code == 0)


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (("--encoding", "base64"), "--encoding base64: unknown encoding"),
        (("--encoding", "idna"), "--encoding idna: unknown encoding"),
        (("--where", "price = 3e"), "not a number"),
        (("--where", "price = 1e999999999"), "too many digits"),
        (("--where", "(" * 90_000), "characters): the expression has 90,000 characters"),
    ],
)
def test_odd_values_of_options_are_named(tmp_path, arguments, said):
    write_table(tmp_path / "live.csv", [["sku", "price"], ["A", "1.90"], ["47130", "1.00"]])
    write_table(tmp_path / "edited.csv", [["sku", "price"], ["A", "2.00"], ["4713E1", "1.00"]])

    done = neat_delta("compare", "live.csv", "edited.csv", *arguments, cwd=tmp_path)

    assert done.returncode == 2
    assert said in done.stderr
    assert len(done.stderr) < 600
    assert neat_delta("compare", "live.csv", "edited.csv", "--add-new", cwd=tmp_path).returncode in (0, 1)

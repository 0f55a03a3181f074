"""Without a command, on a terminal, the program leads from question to question."""

import os
import select
import subprocess
import time

import pytest

from helpers import PROGRAM, write_table
from neat_delta.cli.app import COMMANDS
from neat_delta.cli.guide import wants_guide

LIVE = [["sku", "name", "price"], ["A", "lid", "1.00"], ["B", "jar", "2.00"], ["C", "wax", "3.00"]]
LONGEST = 120


@pytest.fixture
def work(tmp_path):
    write_table(tmp_path / "my live.csv", LIVE)
    write_table(tmp_path / "my edited.csv", [LIVE[0], ["A", "lid", "1.10"], ["B", "jar", "x"]])
    return tmp_path


def talk(work, answers, *words):
    """What is shown on a terminal on which somebody gives these answers, each where a question waits; and the code."""
    pty = pytest.importorskip("pty", reason="needs a terminal of Unix")
    master, slave = pty.openpty()
    env = os.environ | {"NEAT_DELTA_DATA": str(work / "data"), "TERM": "dumb", "BROWSER": "true", "COLUMNS": "200"}
    running = subprocess.Popen([PROGRAM, *words], cwd=work, env=env, stdin=slave, stdout=slave, stderr=slave)
    os.close(slave)
    shown, left, deadline = b"", list(answers), time.monotonic() + LONGEST
    while time.monotonic() < deadline:
        ready, _, _ = select.select([master], [], [], 0.5)
        try:
            part = os.read(master, 65536) if ready else None
        except OSError:
            break
        if part == b"":
            break
        shown += part or b""
        if not part and left and shown.rstrip().endswith((b":", b"]")):
            os.write(master, left.pop(0).encode() + b"\n")
            shown += b" "
    running.wait(LONGEST)
    os.close(master)
    return shown.decode(), running.returncode, left


def test_it_asks_for_the_files_until_they_are_there_and_goes_the_whole_way(work):
    answers = ["nope.csv", f"'{work}/my live.csv'", f"{work}/my\\ edited.csv", "3", "2", "4"]
    shown, code, left = talk(work, answers)

    assert (code, left) == (1, []), shown
    assert "There is no file nope.csv" in shown
    assert "$ neat-delta compare " in shown
    assert "neat-delta --problems" not in shown
    assert (work / "my edited-problems.xlsx").is_file()
    assert (work / "updates" / "01-changes.csv").read_text() == "sku,price\nA,1.10\n"


def test_files_that_are_dragged_onto_it_are_compared_at_once_and_a_page_is_made(work):
    shown, code, left = talk(work, ["1", "n", "", "4"], "my live.csv", "my edited.csv")

    assert (code, left) == (1, []), shown
    assert (work / "my edited.html").is_file()
    assert not (work / "updates").exists()


def test_only_a_person_without_a_command_is_led(work, monkeypatch):
    monkeypatch.chdir(work)

    assert wants_guide([], COMMANDS, on_terminal=True)
    assert wants_guide(["my live.csv", "my edited.csv"], COMMANDS, on_terminal=True)
    assert not wants_guide(["my live.csv", "nope.csv"], COMMANDS, on_terminal=True)
    assert not wants_guide([], COMMANDS, on_terminal=False)
    assert not wants_guide(["--help"], COMMANDS, on_terminal=True)
    piped = subprocess.run([PROGRAM], cwd=work, capture_output=True, text=True, stdin=subprocess.DEVNULL, check=False)
    assert "Usage: neat-delta" in piped.stdout + piped.stderr

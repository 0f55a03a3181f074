"""With --json there is one envelope for every command and every error, and nothing else on standard output."""

import json

import pytest

from helpers import neat_delta, write_table

LIVE = [["sku", "name", "price"], ["A", "Hive", "1.00"], ["B", "Frame", "2.00"]]
EDITED = [LIVE[0], ["A", "Hive", "1.50"], ["B", "Frame", "on request"]]


@pytest.fixture
def shop(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "edited.csv", EDITED)
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.jsonl", cwd=tmp_path)
    (tmp_path / "bad.toml").write_text("keys = 1\n[fields.price]\ntype = 'cash'\n")
    return tmp_path


@pytest.mark.parametrize(
    ("args", "code", "problem"),
    [
        (["compare", "live.csv", "edited.csv"], 1, "unreadable cell"),
        (["compare", "live.csv", "live.csv"], 0, None),
        (["check", "c.jsonl"], 1, "unreadable cell"),
        (["write", "c.jsonl", "-o", "up"], 1, "unreadable cell"),
        (["preview", "c.jsonl"], 1, None),
        (["pick", "c.jsonl", "--only", "price", "-o", "p.jsonl"], 1, "unreadable cell"),
        (["refresh", "c.jsonl", "live.csv", "-o", "f.jsonl"], 1, "unreadable cell"),
        (["verify", "c.jsonl", "live.csv"], 1, None),
        (["inspect", "live.csv"], 0, None),
        (["sheet", "live.csv", "-o", "s.xlsx"], 0, None),
        (["setup", "live.csv", "-o", "new.toml"], 0, None),
        (["compare", "live.csv", "edited.csv", "--key", "nope"], 2, "invalid-option"),
        (["compare", "live.csv", "edited.csv", "--nope"], 2, "usage"),
        (["compare", "live.csv", "none.csv"], 3, "invalid-input"),
        (["compare", "live.csv", "edited.csv", "--catalogue", "bad.toml"], 3, "invalid-settings"),
        (["compare", "http://127.0.0.1:1/x.csv", "edited.csv"], 4, "network"),
    ],
    ids=lambda value: " ".join(value) if isinstance(value, list) else None,
)
def test_there_is_one_envelope_and_its_exit_is_the_exit_code(shop, args, code, problem):
    done = neat_delta(*args, "--json", cwd=shop)

    told = json.loads(done.stdout)
    assert list(told) == ["neat_delta", "command", "exit", "problems", "result", "next"]
    assert (told["neat_delta"], told["command"]) == (2, args[0])
    assert done.returncode == told["exit"] == code
    codes = {found["code"] for found in told["problems"]}
    if code in (2, 3, 4):
        assert told["result"] is None
        assert all(found["message"] for found in told["problems"])
    if problem == "invalid-settings":
        assert len(told["problems"]) == 2
    elif problem:
        assert problem in codes


def test_the_next_command_is_told_to_programs_too(shop):
    told = json.loads(neat_delta("compare", "live.csv", "edited.csv", "-o", "n.jsonl", "--json", cwd=shop).stdout)

    assert told["next"] == ["neat-delta write n.jsonl -o updates"]
    (found,) = told["problems"]
    assert (found["key"], found["field"], found["line"], found["value"]) == (["B"], "price", 3, "on request")

"""A short run of the campaign, and every case that it has ever found; campaign.py is the long one."""

import json
import os
from pathlib import Path
from random import Random

import pytest

from fuzz import seeds
from fuzz.attacks import as_attack
from fuzz.targets import Arena, make_attack, make_reading
from helpers import examples

FOUND = [json.loads(line) for line in Path(__file__).with_name("found.jsonl").read_text().splitlines()]
# Each part of the short run has numbers of its own, so that the processors share them.
PARTS, READINGS, COMMANDS = 4, examples(125), examples(20)


@pytest.fixture(scope="module")
def arena(tmp_path_factory):
    """A folder of whole files, and the commands that are tried on damaged ones."""
    here = Path.cwd()
    folder = tmp_path_factory.mktemp("fuzz")
    yield Arena(seeds.make(folder / "seeds"), folder / "arena")
    os.chdir(here)


@pytest.mark.parametrize("found", FOUND, ids=[found["fault"] for found in FOUND])
def test_what_once_made_it_fall_over_is_taken_or_refused(arena, found):
    verdict = arena.attack(as_attack(found))
    assert verdict.fault is None, verdict.said


@pytest.mark.parametrize("part", range(PARTS))
def test_damaged_files_and_odd_options_are_taken_or_refused(arena, part):
    for make, times in ((make_reading, READINGS), (make_attack, COMMANDS)):
        for number in range(times):
            attack = make(arena.files, Random(f"{part}/{number}"))
            verdict = arena.attack(attack)
            assert verdict.fault is None, f"{attack.words}\n{verdict.said}"


def test_a_fault_would_be_seen(arena, monkeypatch):
    """An error that is none of the tree ends a command with a report, and the harness takes it for a fault."""

    def broken(*_: object) -> None:
        raise KeyError("x")

    monkeypatch.setattr("neat_delta.reading.read.open_file", broken)
    attack = as_attack({"words": ["inspect", "live.csv"], "place": None, "data": None})
    assert "KeyError" in arena.attack(attack).fault

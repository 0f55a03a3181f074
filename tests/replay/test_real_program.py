"""Exports opened and saved by the installed spreadsheet program, with edits: the change set is the edits, no more."""

import shutil
import sys
from pathlib import Path

import pytest

from helpers import examples

ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(ROOT / "benchmarks"))
import round_trips  # noqa: E402

sys.path.pop(0)


@pytest.mark.skipif(shutil.which("soffice") is None, reason="no spreadsheet program (soffice) is installed here")
@pytest.mark.parametrize("route", round_trips.ROUTES[:: 1 if examples(1) > 1 else 2], ids=lambda route: route.name)
def test_nothing_that_nobody_typed_becomes_a_change(tmp_path, route):
    exports = [round_trips.make(tmp_path, seed, rows=60, edits=20, route=route) for seed in (101, 102)]
    for export, saved in zip(exports, round_trips.converted(exports, route, tmp_path), strict=True):
        counted, wrong = round_trips.score(export, saved, shown=5)

        assert (counted["invented"], counted["lost"], counted["missing"]) == (0, 0, 0), wrong

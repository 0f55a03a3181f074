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


# One route of each sort every day, and some of all languages in the long run.
DAILY = ("de csv special", "ja xlsx special", "fr ods", "tr csv", "en csv special then gb", "en csv read as 1")
ROUTES = [
    route
    for at, route in enumerate(round_trips.all_routes())
    if route.name in DAILY or (examples(1) > 1 and at % 5 == 0)
]


@pytest.mark.skipif(shutil.which("soffice") is None, reason="no spreadsheet program (soffice) is installed here")
@pytest.mark.parametrize("route", ROUTES, ids=lambda route: route.name)
def test_nothing_that_nobody_typed_becomes_a_change(tmp_path, route):
    exports = [round_trips.make(tmp_path, seed, rows=60, edits=20, route=route) for seed in (101, 102)]
    for export, saved in zip(exports, round_trips.converted(exports, route, tmp_path), strict=True):
        counted, wrong = round_trips.score(export, saved, shown=5)

        assert [counted[what] for what in ("invented", "altered", "lost", "missing")] == [0, 0, 0, 0], wrong

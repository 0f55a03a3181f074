"""Settings for all tests."""

import os

# Tests run beside each other, each on one processor; the long run uses all of them, as a command of a user does.
if os.environ.get("NEAT_DELTA_TESTS") != "long":
    os.environ.setdefault("POLARS_MAX_THREADS", "1")

import pytest
from hypothesis import settings

from helpers import examples
from neat_delta.base.frame_schema import FrameSchema

# How long an example takes is no concern of a test: machines differ. Timings belong to benchmarks/.
settings.register_profile("untimed", deadline=None, max_examples=examples(20))
settings.load_profile("untimed")

# Every frame that a room hands on is looked at, value by value.
FrameSchema.looks_at_values = True

# Each test's history lies in the folder in which it works.
os.environ["NEAT_DELTA_DATA"] = "."


def pytest_xdist_auto_num_workers() -> int:
    """One worker more than processors: tests wait for the disk more than for anything else."""
    return (os.cpu_count() or 1) + 1


@pytest.fixture(autouse=True)
def _outside_of_the_project(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    """A test that works in no folder of its own leaves nothing among the project's files."""
    monkeypatch.chdir(tmp_path_factory.getbasetemp())

"""A few of the faults of the campaign, campaign.py tries them all."""

import pytest

from faults.disturbances import KILL, Fault, baseline_of, faults_of, verdict_on, works
from faults.scenarios import SCENARIOS, make_files

pytestmark = pytest.mark.skipif(not works(), reason="there is no strace, or it may not be used here")
TRIED = {"write over another": 3, "send to a folder that is emptied": 2, "send to ftp": 1, "send to http": 1, "run": 2}


@pytest.fixture(scope="module")
def files(tmp_path_factory):
    return make_files(tmp_path_factory.mktemp("seeds") / "seeds")


@pytest.mark.parametrize("scenario", [one for one in SCENARIOS if one.name in TRIED], ids=lambda one: one.name)
def test_old_or_new_is_there_after_a_fault_and_the_next_run_ends_as_any(tmp_path, files, scenario):
    work = tmp_path / "work"
    known = baseline_of(scenario, files, work)
    faults = faults_of(scenario, files, work)
    assert len(faults) > 10
    for fault in faults[:: max(1, len(faults) // TRIED[scenario.name])]:
        assert verdict_on(scenario, fault, files, work, known) is None, str(fault)


def test_a_folder_that_is_emptied_before_the_other_comes_would_be_seen(tmp_path, files):
    """The oracle itself: what is neither the old nor the new is told."""
    scenario = next(one for one in SCENARIOS if one.name == "write over another")
    known = baseline_of(scenario, files, tmp_path / "work")
    other = type(known)(known.old, {"w/other.csv": "x"})
    fault = Fault("fsync", 999, KILL)
    assert "neither the old nor the new" in str(verdict_on(scenario, fault, files, tmp_path / "work", other))

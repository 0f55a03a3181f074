"""The workers of a real cluster read for us: the same result, also if one of them dies in the middle of the work."""

import os
import random
import re
import signal
from threading import Lock

import pytest

from helpers import neat_delta, write_table
from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.changeset.serialization import dump_changes
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.files import cluster as cluster_module
from neat_delta.files.cluster import ClusterWorkers, cluster
from neat_delta.files.workers import HERE, workers
from neat_delta.reading import csv_rows, read_pair, scanned_elsewhere

HEADER = ["sku", "name", "price", "note"]
HTML = '<div class="x">\n<p>A "frame", 21" wide</p>\n\n</div>'


@pytest.fixture(scope="module")
def scheduler():
    """A scheduler with two workers, each a process."""
    distributed = pytest.importorskip("distributed")
    with distributed.LocalCluster(2, processes=True, threads_per_worker=1, dashboard_address="127.0.0.1:0") as found:
        yield found.scheduler_address


def made(folder, *, shuffled=False, damaged=False):
    chance = random.Random(3)
    rows = [[f"K{at:05}", f"Café {at}", f"{at}.50", HTML if at % 3 else f"n{at}"] for at in range(2_000)]
    edited = [[*row[:2], "7.77" if at % 100 == 1 else row[2], row[3]] for at, row in enumerate(rows)]
    if shuffled:
        chance.shuffle(edited)
    for name, table in (("live", rows), ("edited", edited)):
        path = write_table(folder / f"{name}.csv", [HEADER, *table])
        if damaged:
            text = (
                path.read_bytes().replace(b"K00400,Caf", b'K00400,"Caf').replace(b"K01000,Caf\xc3\xa9", b'K01000,"x" y')
            )
            path.write_bytes(text.replace(b"K00500,", b'K00500,21" x').replace(b"K00600,", b"K00600,,"))
    return folder / "live.csv", folder / "edited.csv"


def compared(live, edited):
    found = read_pair(live, edited)
    changes = dump_changes(compare(*found, CompareOptions()).changes)
    return re.sub(rb'"made":"[^"]+"', b"", changes), found[0].unreadable_rows.rows()


@pytest.fixture
def small_pieces(monkeypatch):
    """So much work that each worker has a lot of it."""
    monkeypatch.setattr(csv_rows, "BLOCK", 8_000)
    monkeypatch.setattr(csv_rows, "FEW", 0.0)
    monkeypatch.setattr(scanned_elsewhere, "STRETCH", 5_000)


@pytest.mark.parametrize("how", [{}, {"shuffled": True}, {"damaged": True}], ids=str)
def test_a_cluster_gives_what_one_machine_gives(tmp_path, small_pieces, scheduler, how):
    pair = made(tmp_path, **how)
    alone = compared(*pair)

    with cluster(scheduler):
        together = compared(*pair)

    assert b'"7.77"' in alone[0]
    assert together == alone
    assert workers() is HERE


def test_a_worker_that_dies_in_the_middle_changes_nothing(tmp_path, small_pieces, scheduler, monkeypatch):
    pair = made(tmp_path)
    alone = compared(*pair)
    each, killed, one_at_a_time = ClusterWorkers.each, [], Lock()

    def each_until_one_dies(self, work, tasks):
        for at, found in enumerate(each(self, work, tasks)):
            with one_at_a_time:  # the two files are read by a thread each
                if at == 2 and not killed:
                    killed.append(next(iter(self.client.run(os.getpid).values())))
                    os.kill(killed[0], signal.SIGKILL)
            yield found

    monkeypatch.setattr(ClusterWorkers, "each", each_until_one_dies)
    with cluster(scheduler):
        together = compared(*pair)

    assert killed
    assert together == alone


def test_a_file_that_no_worker_reaches_is_named(tmp_path, small_pieces, scheduler, monkeypatch):
    pair = made(tmp_path)
    there = cluster_module.ClusterWorkers.each

    def each_without_the_file(self, work, tasks):
        pair[0].unlink(missing_ok=True)
        return there(self, work, tasks)

    monkeypatch.setattr(ClusterWorkers, "each", each_without_the_file)
    with cluster(scheduler), pytest.raises(InvalidInput, match="a worker of the cluster cannot read it"):
        read_pair(pair[0], pair[0])


def test_a_cluster_that_cannot_help_is_told_with_what_to_do(scheduler, monkeypatch, tmp_path):
    monkeypatch.setattr(cluster_module, "ANSWER_TIME", 1)
    with pytest.raises(InvalidOption, match="no scheduler answers"), cluster("tcp://127.0.0.1:1"):
        pass
    with monkeypatch.context() as patched:
        patched.setattr(cluster_module, "version", lambda _: "9.9")
        with pytest.raises(InvalidOption, match=r"has another version of neat-delta"), cluster(scheduler):
            pass
    distributed = pytest.importorskip("distributed")
    with (
        distributed.SpecCluster(scheduler={"cls": distributed.Scheduler, "options": {"dashboard": False}}) as empty,
        pytest.raises(InvalidOption, match="has no workers"),
        cluster(empty.scheduler_address),
    ):
        pass


def test_the_command_takes_a_cluster(tmp_path, scheduler):
    made(tmp_path)
    alone, together = (
        neat_delta("compare", "live.csv", "edited.csv", *more, cwd=tmp_path) for more in ([], ["--cluster", scheduler])
    )
    refused = neat_delta("compare", "live.csv", "edited.csv", "--cluster", "tcp://127.0.0.1:1", cwd=tmp_path)

    assert (together.returncode, together.stdout.partition("result")[0]) == (
        alone.returncode,
        alone.stdout.partition("result")[0],
    )
    assert (refused.returncode, "no scheduler answers" in refused.stderr) == (2, True)

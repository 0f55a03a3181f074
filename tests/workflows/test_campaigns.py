"""A campaign starts once, is put back whole, and knows what it has sent wherever its folder is by now."""

import json
import shutil
from datetime import datetime, timedelta

import pytest

from helpers import neat_delta, read_rows, write_table

LIVE = [["sku", "price"], ["KT-1", "10.00"], ["KT-2", "20.00"]]
HALF = [LIVE[0], ["KT-1", "5.00"], ["KT-2", "10.00"]]
HEAD = 'live = "live.csv"\nto = "inbox"\nhistory = "h.sqlite"\nset = ["price = price * 0.5"]\n'


@pytest.fixture
def work(tmp_path):
    work = tmp_path / "work"
    (work / "inbox").mkdir(parents=True)
    write_table(work / "live.csv", LIVE)
    return work


def run(work, begin, end, head=HEAD, **environment):
    """The run of a campaign between two times, in hours from now."""
    now = datetime.now().astimezone().replace(microsecond=0)
    begins, ends = ((now + timedelta(hours=hours)).replace(tzinfo=None).isoformat() for hours in (begin, end))
    (work / "sale.toml").write_text(f"{head}[campaign]\nfrom = {begins}\nuntil = {ends}\n")
    done = neat_delta("run", "sale.toml", cwd=work, **environment)
    return done.returncode, " ".join(done.stdout.split())


def sent(work):
    """What lies in the inbox, which the shop then takes away."""
    files = sorted((work / "inbox").glob("*.csv"))
    rows = [row for file in files for row in read_rows(file)[1:]]
    for file in files:
        file.unlink()
    return rows


def started(work):
    assert run(work, -2, 2)[0] == 0
    assert sent(work) == HALF[1:]
    write_table(work / "live.csv", HALF)


@pytest.mark.parametrize("begin", [-2 + 1 / 60, -3, 1])
def test_correcting_the_start_of_a_running_campaign_does_not_start_it_again(work, begin):
    started(work)

    code, said = run(work, begin, 2)

    assert (code, sent(work), "runs until" in said) == (0, [], True)
    assert "another start has no effect any more" in said
    assert run(work, begin, -1 / 60 if begin < 0 else 2)[0] == 0
    assert sent(work) == (LIVE[1:] if begin < 0 else [])


def test_another_time_zone_does_not_start_it_again(work):
    assert run(work, -2, 20, TZ="UTC")[0] == 0
    assert sent(work) == HALF[1:]
    write_table(work / "live.csv", HALF)
    for zone in ("America/New_York", "Asia/Tokyo"):
        run(work, -2, 20, TZ=zone)
        assert sent(work) == []


def test_a_start_that_was_cut_off_is_not_worked_out_again(work):
    started(work)
    state = work / "runs" / "sale.campaign.json"
    known = json.loads(state.read_text())
    state.write_text(json.dumps(known | {"started": None}))

    code, said = run(work, -2, 2)

    assert (code, sent(work), "started; it ends on" in said) == (0, [], True)


def test_another_history_puts_nothing_back_and_says_so_until_it_is_right(work):
    started(work)
    other = HEAD.replace("h.sqlite", "other.sqlite")

    code, said = run(work, -2, -1, other)
    assert (code, sent(work)) == (1, [])
    assert "does not have what the campaign's start has sent; nothing was put back" in said
    assert run(work, -2, -1, other)[0] == 1
    assert run(work, -2, -1)[0] == 0
    assert sent(work) == LIVE[1:]


def test_the_folder_may_be_moved_while_it_runs(work):
    started(work)
    moved = work.rename(work.parent / "elsewhere")

    assert run(moved, -2, -1)[0] == 0
    assert sent(moved) == LIVE[1:]


def test_the_folder_of_the_start_may_be_gone(work):
    started(work)
    for folder in (work / "runs").glob("sale-2*"):
        shutil.rmtree(folder)

    assert run(work, -2, -1)[0] == 0
    assert sent(work) == LIVE[1:]


def test_a_price_and_its_dates_are_put_back_together_or_not_at_all(work):
    names = ["sku", "price", "sale_price", "sale_from", "sale_until", "stock"]
    rows = [[f"KT-{at}", f"{at * 100}.00", "", "", "", "5"] for at in range(1, 12)]
    rows[0][2:5] = "90.00", "2026-01-01", "2026-02-01"
    on_sale = [[*row[:2], f"{at * 80}.00", "2026-11-20", "2026-12-20", row[5]] for at, row in enumerate(rows, start=1)]
    write_table(work / "live.csv", [names, *rows])
    write_table(work / "edited.csv", [names, *on_sale])
    head = 'live = "live.csv"\nedited = "edited.csv"\nto = "inbox"\nhistory = "h.sqlite"\n'
    _, said = run(work, -2, 2, head)
    assert len(sent(work)) == 11, said
    on_sale[1][2] = "150.00"  # a colleague's
    on_sale[2][4] = "2026-12-31"
    write_table(work / "live.csv", [names, *on_sale])

    _, said = run(work, -2, -1, head)

    back = sent(work)
    assert {row[0] for row in back} == {f"KT-{at}" for at in (1, *range(4, 12))}, said

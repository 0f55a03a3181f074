"""Runs with several files, saved change sets, campaigns and approvals: each does what is due, once."""

import json
from datetime import datetime, timedelta
from pathlib import Path

import pytest

from helpers import neat_delta, read_rows, write_table
from neat_delta.workflows.scheduled import campaign
from neat_delta.workflows.scheduled.run_config import Campaign, RunConfig

LIVE = [["sku", "name", "price"], ["KT-1", "lid", "10.00"], ["KT-2", "jar", "20.00"], ["KT-3", "wax", "30.00"]]
SECRET = {"NEAT_DELTA_APPROVAL_SECRET": "a secret of sixteen letters"}


@pytest.fixture
def work(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    (tmp_path / "inbox").mkdir()
    return tmp_path


def run(work, text, name="night", **environment):
    (work / f"{name}.toml").write_text(text)
    return neat_delta("run", f"{name}.toml", cwd=work, **environment)


def summary(work, name="night"):
    return json.loads((work / "runs" / f"{name}-latest" / "summary.json").read_text())


def sent(work):
    """What was sent, each file as its rows."""
    return {path.name: read_rows(path) for path in (work / "inbox").iterdir() if path.suffix == ".csv"}


def clear(work):
    for path in (work / "inbox").iterdir():
        path.unlink()


HEAD = 'live = "live.csv"\nto = "inbox"\nhistory = "h.sqlite"\n'


def test_several_files_with_their_own_profiles_are_combined(work):
    (work / "catalogue.toml").write_text('[profiles.kelp]\ncolumns = {"Our price" = "price"}\n')
    write_table(work / "a.csv", [["sku", "Our price"], ["KT-1", "11.00"], ["KT-2", "21.00"]])
    write_table(work / "b.csv", [["sku", "name", "price"], ["KT-2", "jar", "22.00"], ["KT-3", "Wax", "30.00"]])
    files = '[[edited_files]]\nfile = "a.csv"\nprofile = "kelp"\n[[edited_files]]\nfile = "b.csv"\n'

    open_conflict = run(work, HEAD + files)
    assert open_conflict.returncode == 1
    assert {cell for rows in sent(work).values() for row in rows for cell in row} >= {"11.00", "Wax"}
    assert "22.00" not in str(sent(work))
    clear(work)
    decided = run(work, HEAD + files + "preferred = true\n", "other")
    assert decided.returncode == 0, decided.stdout
    assert "22.00" in str(sent(work))


def test_a_saved_change_set_is_brought_up_to_date_and_sent(work):
    write_table(work / "edited.csv", [LIVE[0], ["KT-1", "lid", "11.00"], ["KT-2", "jar", "21.00"]])
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", cwd=work)
    write_table(work / "live.csv", [LIVE[0], ["KT-1", "lid", "11.00"], *LIVE[2:]])

    done = run(work, HEAD + 'changes = "c.changes.jsonl"\n')

    assert done.returncode == 0, done.stdout
    assert sent(work)["01-changes.csv"] == [["sku", "price"], ["KT-2", "21.00"]]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('edited = "e.csv"\nchanges = "c.jsonl"\n', "edited and changes do not go together"),
        ('changes = "c.jsonl"\nwhere = "price > 1"\n', "where has no effect on a saved change set"),
        ('profile = "x"\n[[edited_files]]\nfile = "a.csv"\n', "profile belongs to each of edited_files"),
        ('edited = "e"\n[campaign]\nfrom = 2026-12-02\nuntil = 2026-12-01\n', "a campaign must end after it starts"),
        ('edited = "e"\n[campaign]\nfrom = "tomorrow"\nuntil = 2026-12-01\n', "must be a date and time such as"),
        ('edited = "e"\nheartbeat = "ftp://x/y"\n', "a heartbeat is a file or an http(s) address"),
        ('edited = "e"\n[mail]\nfrom = "a@b"\nto = "c@d"\nwhen = "never"\n', "not a valid when"),
        ('edited = "e"\n[mail]\nfrom = "a@b"\nto = "c@d"\nserver = "a b"\n', "not the name of a server"),
        ('edited = "e"\n[webhook]\naddress = "file"\n', "must be an http or https address"),
    ],
)
def test_what_does_not_go_together_is_named(work, text, said):
    done = run(work, HEAD + text)

    assert (done.returncode, said in done.stderr) == (3, True), done.stderr
    assert summary(work)["verdict"] == "failed"


def times(begin, end):
    now = datetime.now().astimezone().replace(microsecond=0)
    moments = (now + timedelta(hours=hours) for hours in (begin, end))
    return "[campaign]\nfrom = {}\nuntil = {}\n".format(*(moment.isoformat() for moment in moments))


def test_a_campaign_waits_starts_once_and_puts_back_only_what_still_is_as_sent(work):
    source = 'set = ["price = price * 0.5"]\n'
    before = run(work, HEAD + source + times(1, 2), "sale")
    assert (before.returncode, "starts on" in before.stdout, sent(work)) == (0, True, {})

    started = run(work, HEAD + source + times(-1, 2), "sale")
    assert started.returncode == 0, started.stdout
    assert sent(work)["01-changes.csv"][1:] == [["KT-1", "5.00"], ["KT-2", "10.00"], ["KT-3", "15.00"]]
    # The shop has imported it; a colleague sets one price anew, and another one is as it was before.
    write_table(
        work / "live.csv", [LIVE[0], ["KT-1", "lid", "5.00"], ["KT-2", "jar", "12.00"], ["KT-3", "wax", "15.00"]]
    )
    clear(work)
    state = (work / "runs" / "sale.campaign.json").read_text()
    begins = json.loads(state)["begins"]
    again = f"[campaign]\nfrom = {begins}\nuntil = {{}}\n"
    now = datetime.now().astimezone().replace(microsecond=0)
    running = run(work, HEAD + source + again.format((now + timedelta(hours=3)).isoformat()), "sale")
    assert (running.returncode, "runs until" in running.stdout, sent(work)) == (0, True, {})

    ended = run(work, HEAD + source + again.format((now - timedelta(minutes=1)).isoformat()), "sale")
    assert ended.returncode == 0, ended.stdout
    assert sent(work)["01-changes.csv"][1:] == [["KT-1", "10.00"], ["KT-3", "30.00"]]
    assert "1 change of others since then stay" in " ".join(ended.stdout.split())
    clear(work)
    over = run(work, HEAD + source + again.format((now - timedelta(minutes=1)).isoformat()), "sale")
    assert (over.returncode, "is over since" in over.stdout, sent(work)) == (0, True, {})


@pytest.mark.parametrize(
    ("state", "hours", "due"),
    [
        ({}, -1, campaign.BEFORE),
        ({}, 1, campaign.START),
        ({}, 3, campaign.MISSED),
        ({"sent": ("one",)}, 1, campaign.START),
        ({"sent": ("one",)}, 3, campaign.END),
        ({"sent": ("one",), "started": "x"}, 1, campaign.RUNNING),
        ({"started": "x"}, 3, campaign.END),
        ({"sent": ("one",), "started": "x", "ended": "y"}, 3, campaign.OVER),
    ],
)
def test_what_is_due_follows_from_the_time_and_from_what_was_sent(work, state, hours, due):
    begin = datetime.now().astimezone()
    times = campaign_of(begin, begin + timedelta(hours=2))
    found = campaign.phase(times, campaign.CampaignState("", "", **state), begin + timedelta(hours=hours))
    assert found == due


def campaign_of(begin, end):
    return RunConfig(live=Path("live.csv"), campaign=Campaign(begin, end))


def test_a_campaign_whose_time_has_passed_needs_attention_once(work):
    text = HEAD + 'set = ["price = price * 0.5"]\n' + times(-2, -1)
    missed, again = run(work, text, "sale"), run(work, text, "sale")

    assert (missed.returncode, again.returncode) == (1, 0)
    assert "the campaign was not started while its time was" in " ".join(missed.stdout.split())
    assert sent(work) == {}


def test_write_makes_a_campaign_of_a_change_set(work):
    write_table(work / "edited.csv", [LIVE[0], ["KT-1", "lid", "11.00"]])
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", cwd=work)
    now = datetime.now()
    begin, end = (f"{now + timedelta(days=days):%Y-%m-%d %H:%M}" for days in (-1, 1))
    (work / "sub").mkdir()
    words = ("write", "c.changes.jsonl", "-o", "sub/sale", "--from", begin, "--until", end)
    done = neat_delta(*words, "--to", "inbox", "--fresh", "live.csv", cwd=work)
    assert done.returncode == 0, done.stderr
    assert neat_delta("run", "sub/sale.toml", "--validate", cwd=work).returncode == 0
    started = neat_delta("run", "sub/sale.toml", cwd=work)

    assert "01-changes.csv" in sent(work)
    assert "started; it ends on" in " ".join(started.stdout.split())
    one = neat_delta("write", "c.changes.jsonl", "-o", "x", "--from", begin, cwd=work)
    wrong = neat_delta("write", "c.changes.jsonl", "-o", "x", "--from", end, "--until", begin, cwd=work)
    assert (one.returncode, wrong.returncode, (work / "x").exists()) == (2, 2, False)


@pytest.fixture
def gated(work):
    (work / "catalogue.toml").write_text('[send]\napproval = "other"\n')
    write_table(work / "edited.csv", [LIVE[0], ["KT-1", "lid", "11.00"], ["KT-2", "jar", "21.00"]])
    return work


NIGHT = HEAD + 'edited = "edited.csv"\n[limits]\nchanged = 1\n'


def test_a_run_waits_for_an_approval_and_the_next_one_goes_on(gated):
    waiting = run(gated, NIGHT, NEAT_DELTA_USER="Bo", **SECRET)
    told = summary(gated)
    assert (waiting.returncode, told["verdict"], told["sent"], sent(gated)) == (1, "waiting for approval", False, {})
    path = Path(told["folder"]) / "changes.jsonl"
    assert told["next_steps"][-1] == f"neat-delta approve {path} --by NAME"
    own = neat_delta("approve", path, "--by", "Bo", cwd=gated, **SECRET)
    assert own.returncode == 2
    assert neat_delta("approve", path, "--by", "Anna", cwd=gated, **SECRET).returncode == 0

    went_on = run(gated, NIGHT, NEAT_DELTA_USER="Bo", **SECRET)
    told = summary(gated)
    assert (went_on.returncode, told["verdict"], told["approved_by"]) == (0, "done", "Anna"), went_on.stdout
    assert sent(gated)["01-changes.csv"][1:] == [["KT-1", "11.00"], ["KT-2", "21.00"]]
    entry = json.loads(neat_delta("history", "--history", "h.sqlite", "--json", cwd=gated).stdout)["result"][0]
    assert (entry["made_by"], entry["approved_by"]) == ("Bo", "Anna")
    clear(gated)
    third = run(gated, NIGHT, NEAT_DELTA_USER="Bo", **SECRET)
    assert (third.returncode, sent(gated)) == (1, {})  # (the made-up shop has not imported it, so it waits again)


def test_what_the_shop_has_changed_since_the_approval_is_not_sent(gated):
    run(gated, NIGHT, NEAT_DELTA_USER="Bo", **SECRET)
    neat_delta("approve", Path(summary(gated)["folder"]) / "changes.jsonl", "--by", "Anna", cwd=gated, **SECRET)
    write_table(gated / "live.csv", [LIVE[0], ["KT-1", "lid", "10.50"], *LIVE[2:]])

    done = run(gated, NIGHT, NEAT_DELTA_USER="Bo", **SECRET)

    assert (done.returncode, summary(gated)["verdict"], sent(gated)) == (1, "waiting for approval", {})
    assert "compared again" in " ".join(done.stdout.split())


def test_without_the_secret_a_run_fails_and_sends_nothing(gated):
    run(gated, NIGHT, NEAT_DELTA_USER="Bo", **SECRET)
    neat_delta("approve", Path(summary(gated)["folder"]) / "changes.jsonl", "--by", "Anna", cwd=gated, **SECRET)

    done = run(gated, NIGHT, NEAT_DELTA_USER="Bo")

    assert (done.returncode, sent(gated)) == (3, {})
    assert "NEAT_DELTA_APPROVAL_SECRET" in done.stdout


def test_a_run_file_is_made_from_options_and_runs(work):
    write_table(work / "edited.csv", [LIVE[0], ["KT-1", "lid", "11.00"]])
    words = ("run", "new.toml", "--init", "--live", "live.csv", "--edited", "edited.csv", "--to", "inbox")
    made = neat_delta(*words, "--mail-from", "a@shop.example", "--mail-to", "b@shop.example", cwd=work)
    again = neat_delta(*words, cwd=work)
    lacking = neat_delta("run", "x.toml", "--init", "--live", "live.csv", cwd=work)
    stray = neat_delta("run", "new.toml", "--live", "live.csv", cwd=work)
    done = neat_delta("run", "new.toml", cwd=work)

    assert [one.returncode for one in (made, again, lacking, stray, done)] == [0, 3, 2, 2, 0], done.stdout
    assert (work / "runs/new-latest/summary.eml").is_file()
    assert sent(work)["01-changes.csv"][1:] == [["KT-1", "11.00"]]

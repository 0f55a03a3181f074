"""An approval is for one update, one [import] and one place; a place keeps its rule; a history knows itself."""

import json
import os
import shutil
import sqlite3
import time
from contextlib import closing
from datetime import datetime, timedelta
from pathlib import Path

import pytest

import neat_delta as nd
from helpers import neat_delta, read_rows, update_files, write_table
from neat_delta.base.errors import NotApproved
from neat_delta.changeset.serialization import save_changes
from neat_delta.delivery.history import History
from neat_delta.tables.settings_file import load_settings
from neat_delta.workflows.requests import SendRequest
from neat_delta.workflows.send import ready

LIVE = [["sku", "name", "price"], ["KT-1", "lid", "10.00"], ["KT-2", "jar", "20.00"]]
EDITED = [LIVE[0], ["KT-1", "lid", "11.00"], ["KT-2", "jar", "21.00"]]
RULE = '[send]\napproval = "other"\n'


@pytest.fixture
def shop(tmp_path):
    shop = tmp_path / "shop"
    (shop / "inbox").mkdir(parents=True)
    write_table(shop / "live.csv", LIVE)
    write_table(shop / "edited.csv", EDITED)
    (shop / "catalogue.toml").write_text(RULE)
    return shop


def run(line, cwd, **more):
    told = {"NEAT_DELTA_USER": "Bo", "NEAT_DELTA_APPROVAL_SECRET": "a secret of sixteen letters"}
    return neat_delta(*line.split(), cwd=cwd, **(told | {"NEAT_DELTA_DATA": str(cwd)} | more))


def did(line, cwd, **more):
    done = run(line, cwd, **more)
    assert done.returncode in (0, 1), done.stderr
    return done


def approved(shop, name="c"):
    did(f"compare live.csv edited.csv -o {name}.changes.jsonl", shop)
    did(f"approve {name}.changes.jsonl --by Anna", shop)
    did(f"write {name}.changes.jsonl -o up-{name}", shop)


def taken(folder):
    """What lies in a folder that the shop watches, which then takes it away."""
    rows = [row for path in sorted(folder.glob("*.csv")) for row in read_rows(path)]
    for path in folder.iterdir():
        path.unlink()
    return rows


def newer(path):
    """The same export, made an hour from now."""
    moment = (datetime.now() + timedelta(hours=1)).timestamp()
    os.utime(path, (moment, moment))


def test_an_approval_is_for_one_update(shop):
    approved(shop)
    did("send up-c --to inbox", shop)
    assert taken(shop / "inbox")
    newer(shop / "live.csv")
    time.sleep(1 - time.time() % 1)  # what is made of the same within one second is the same change set
    did("refresh c.changes.jsonl live.csv -o again.changes.jsonl", shop)
    shutil.copy(shop / "c.approval.json", shop / "again.approval.json")
    did("write again.changes.jsonl -o up-again", shop)

    refused = run("send up-again --to inbox", shop)

    assert (refused.returncode, taken(shop / "inbox")) == (3, [])
    assert "the approval by Anna" in refused.stderr
    assert "an approval is for one update" in refused.stderr
    (shop / "staging").mkdir()
    did("send up-c --to staging", shop)
    assert taken(shop / "staging") == [["sku", "price"], ["KT-1", "11.00"], ["KT-2", "21.00"]]


def test_a_place_keeps_its_rule_wherever_one_stands_until_it_is_lifted(shop):
    approved(shop)
    did("send up-c --to inbox", shop)
    taken(shop / "inbox")
    elsewhere = shop.parent / "elsewhere"
    elsewhere.mkdir()
    for name in ("live.csv", "edited.csv"):
        write_table(elsewhere / name, [[cell.replace("KT", "ZZ") for cell in row] for row in read_rows(shop / name)])
    did("compare live.csv edited.csv --write up", elsewhere)
    (elsewhere / "night.toml").write_text(
        f'live = "live.csv"\nedited = "edited.csv"\nto = "{shop / "inbox"}"\nhistory = "{shop / "history.sqlite"}"\n'
    )
    at_home = {"NEAT_DELTA_DATA": str(shop)}

    assert "not approved yet" in run(f"send up --to {shop / 'inbox'}", elsewhere, **at_home).stderr
    assert "waiting for approval" in run("run night.toml", elsewhere, **at_home).stdout
    with pytest.raises(NotApproved):
        nd.send(elsewhere / "up", shop / "inbox", history=shop / "history.sqlite")
    assert taken(shop / "inbox") == []
    (elsewhere / "catalogue.toml").write_text('[send]\napproval = "none"\n')
    did(f"send up --to {shop / 'inbox'}", elsewhere, **at_home)
    assert taken(shop / "inbox")
    assert History(shop / "history.sqlite").rule_of(str(shop / "inbox")) is None


def test_what_was_approved_for_a_place_goes_nowhere_else(shop):
    (shop / "catalogue.toml").write_text(f'{RULE}to = "inbox"\n')
    (shop / "other").mkdir()
    approved(shop)

    refused = run("send up-c --to other", shop)

    assert (refused.returncode, list((shop / "other").iterdir())) == (3, [])
    assert f"was made for {shop / 'inbox'}, not for {shop / 'other'}" in refused.stderr
    head, *_ = (shop / "up-c" / "update.changes.jsonl").read_text().splitlines(keepends=True)
    assert json.loads(head)["destination"] == str(shop / "inbox")
    did("send up-c", shop)
    assert taken(shop / "inbox")


@pytest.mark.parametrize(
    "imports",
    ['[import]\nblank = "leaves"\n', '[import.names]\nprice = "cost"\n', '[import.constants.changes]\nx = "1"\n'],
)
def test_what_was_approved_is_for_one_import(shop, imports):
    did("compare live.csv edited.csv -o c.changes.jsonl", shop)
    did("approve c.changes.jsonl --by Anna", shop)
    (shop / "catalogue.toml").write_text(RULE + imports)

    refused = run("write c.changes.jsonl -o up", shop)

    assert (refused.returncode, (shop / "up").exists()) == (3, False)
    assert "other settings of [import]" in refused.stderr
    approved(shop, "d")
    did("send up-d --to inbox", shop)
    assert taken(shop / "inbox")


def test_another_history_or_an_older_copy_of_it_is_said(shop):
    (shop / "catalogue.toml").unlink()
    did("compare live.csv edited.csv --write first", shop)
    write_table(shop / "edited.csv", [*EDITED[:2], ["KT-2", "jar", "22.00"]])
    did("compare live.csv edited.csv --write second", shop)
    (shop / "inbox2").mkdir()
    did("send first --to inbox2", shop)
    shutil.copy(shop / "history.sqlite", shop / "backup.sqlite")
    did("send second --to inbox", shop)
    assert taken(shop / "inbox")

    for words in ("--history other.sqlite", "--history backup.sqlite", "--history other.sqlite --resume"):
        refused = run(f"send second --to inbox {words}", shop)
        assert (refused.returncode, taken(shop / "inbox")) == (4, [])
        assert "does not know of it: it is another one, or an older copy" in refused.stderr
    shutil.move(shop / "second", shop / "moved")
    assert "already sent completely" in run("send moved --to inbox", shop).stderr
    (shop / "moved" / "sent.json").unlink()
    did("send moved --to inbox --history other.sqlite", shop)
    assert taken(shop / "inbox")


def test_the_same_changes_are_sent_once_from_one_export_however_much_later(shop):
    (shop / "catalogue.toml").unlink()
    did("compare live.csv edited.csv --write up", shop)
    did("send up --to inbox", shop)
    taken(shop / "inbox")
    time.sleep(1.1)  # (a change set says in which second it was made)
    did("compare live.csv edited.csv --write again", shop)
    (shop / "night.toml").write_text(
        'live = "live.csv"\nedited = "edited.csv"\nto = "inbox"\nhistory = "history.sqlite"\n'
    )

    again, night = run("send again --to inbox", shop), run("run night.toml", shop)

    assert (again.returncode, night.returncode, taken(shop / "inbox")) == (4, 0, [])
    assert "the same changes were sent" in again.stderr
    assert "(history #1), and the export is older" in " ".join(night.stdout.split())
    newer(shop / "live.csv")  # (the shop was set back, as this shows)
    did("compare live.csv edited.csv --write third", shop)
    did("send third --to inbox", shop)
    assert taken(shop / "inbox")


@pytest.mark.parametrize(
    ("was", "sent", "shop_has", "how"),
    [
        ("price", "11.004", "11.00", "rounded"),
        ("name", "  a lid ", "a lid", "trimmed"),
        ("name", "A Fine Lid", "a fine lid", "letter case"),
        ("name", "a lid of many words", "a lid of many", "cut off"),
    ],
)
def test_what_the_shop_has_altered_is_put_back_as_well(shop, was, sent, shop_has, how):
    (shop / "catalogue.toml").unlink()
    at = LIVE[0].index(was)
    edited = [list(row) for row in LIVE]
    edited[1][at] = sent
    edited[2][2] = "21.00"
    write_table(shop / "edited.csv", edited)
    did("compare live.csv edited.csv -o c.changes.jsonl --as-typed name", shop)
    edited[1][at], edited[2][2] = shop_has, "23.00"  # (the other price has been changed by somebody)
    write_table(shop / "after.csv", edited)

    done = did("undo c.changes.jsonl -o back --fresh after.csv", shop)

    rows = [row for path in update_files(shop / "back") for row in read_rows(path)]
    assert rows == [["sku", was], ["KT-1", LIVE[1][at]]]
    assert (done.returncode, f"({how} 1); restored as well" in " ".join(done.stdout.split())) == (1, True)


def campaign(shop, begin, end, *more):
    now = datetime.now().replace(microsecond=0)
    times = [(now + timedelta(hours=hours)).isoformat() for hours in (begin, end)]
    (shop / "sale.toml").write_text(
        'live = "live.csv"\nto = "inbox"\nhistory = "history.sqlite"\nset = ["price = price * 0.5"]\n'
        f"[campaign]\nfrom = {times[0]}\nuntil = {times[1]}\n"
    )
    return run("run sale.toml", shop, **dict(more))


def test_a_campaign_ends_as_it_was_approved_and_only_so(shop):
    campaign(shop, -2, 2)
    waiting = max((shop / "runs").glob("sale-2*"))
    did(f"approve {waiting / 'changes.jsonl'} --by Anna", shop)
    assert campaign(shop, -2, 2).returncode == 0
    started = taken(shop / "inbox")
    write_table(shop / "live.csv", [LIVE[0], ["KT-1", "lid", "5.00"], ["KT-2", "jar", "10.00"]])
    (entry,) = History(shop / "history.sqlite").entries()

    # An update that does something else is not the end of this campaign.
    changes = nd.adjust(shop / "live.csv", ["price = 1"], shop / "catalogue.toml")
    save_changes(changes, shop / "x.changes.jsonl")
    did("approve x.changes.jsonl --by Anna", shop)
    did("write x.changes.jsonl -o x", shop)
    (shop / "x" / "update.approval.json").unlink()
    request = SendRequest(
        folder=shop / "x", to=shop / "inbox", settings=load_settings(shop / "catalogue.toml"),
        history=shop / "history.sqlite",
    )  # fmt: skip
    os.environ["NEAT_DELTA_APPROVAL_SECRET"] = "a secret of sixteen letters"
    try:
        with pytest.raises(NotApproved, match="does not only put back"):
            ready(request, entry)
    finally:
        del os.environ["NEAT_DELTA_APPROVAL_SECRET"]

    ended = campaign(shop, -2, -1)

    assert started[1:] == [["KT-1", "5.00"], ["KT-2", "10.00"]]
    assert (ended.returncode, taken(shop / "inbox")[1:]) == (0, [["KT-1", "10.00"], ["KT-2", "20.00"]])


def test_a_campaign_whose_history_was_brought_back_from_a_backup_neither_starts_nor_ends(shop):
    (shop / "catalogue.toml").unlink()
    (shop / "backup").mkdir()
    did("compare live.csv edited.csv --write other", shop)
    did("send other --to backup", shop)
    shutil.copy(shop / "history.sqlite", shop / "older.sqlite")
    assert campaign(shop, -2, 2).returncode == 0
    assert taken(shop / "inbox")
    write_table(shop / "live.csv", [LIVE[0], ["KT-1", "lid", "5.00"], ["KT-2", "jar", "10.00"]])
    shutil.copy(shop / "history.sqlite", shop / "right.sqlite")
    shutil.copy(shop / "older.sqlite", shop / "history.sqlite")
    state = shop / "runs" / "sale.campaign.json"
    state.write_text(json.dumps(json.loads(state.read_text()) | {"started": None}))

    for hours in ((-2, 2), (-2, -1)):
        done = campaign(shop, *hours)
        assert (done.returncode, taken(shop / "inbox")) == (1, [])
        assert "does not have what the campaign's start has sent" in " ".join(done.stdout.split())
    shutil.copy(shop / "right.sqlite", shop / "history.sqlite")
    assert campaign(shop, -2, -1).returncode == 0
    assert taken(shop / "inbox")[1:] == [["KT-1", "10.00"], ["KT-2", "20.00"]]


@pytest.mark.parametrize("becomes", ["moved", "gone"])
def test_a_run_that_was_cut_off_goes_on_wherever_its_files_are(shop, becomes):
    (shop / "catalogue.toml").unlink()
    (shop / "rise.toml").write_text(
        'live = "live.csv"\nto = "inbox"\nhistory = "history.sqlite"\nset = ["price = price * 2"]\n'
    )
    assert run("run rise.toml", shop).returncode == 0
    rows = taken(shop / "inbox")
    history = History(shop / "history.sqlite")
    (entry,) = history.entries()
    history.note(entry.entry, 1, "leaving")  # (as if it had been killed there)
    (shop / "inbox" / ".01-changes.csv.draft").touch()
    if becomes == "gone":
        shutil.rmtree(Path(entry.folder).parent)
        home = shop
    else:
        home = shop.rename(shop.parent / "moved")
        with closing(sqlite3.connect(home / "history.sqlite")) as base, base:
            base.execute("UPDATE entries SET place = ?", (str(home / "inbox"),))

    done = run("run rise.toml", home)

    assert "the rest of history #1 was sent" in " ".join(done.stdout.split()), done.stdout
    assert History(home / "history.sqlite").entry(1).state == "done"
    assert rows


def test_a_run_sends_a_saved_change_set_with_the_approval_beside_it(shop):
    did("compare live.csv edited.csv -o c.changes.jsonl", shop)
    did("approve c.changes.jsonl --by Anna", shop)
    (shop / "night.toml").write_text('live = "live.csv"\nchanges = "c.changes.jsonl"\nto = "inbox"\n')

    done = run("run night.toml", shop)

    assert (done.returncode, len(taken(shop / "inbox"))) == (0, 3), done.stdout

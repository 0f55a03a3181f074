"""Only what was approved, by somebody who may, and just as it was approved, passes the gate."""

import json
import shutil
import subprocess
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

import neat_delta as nd
from helpers import neat_delta, write_table
from neat_delta.approval import approve, load_approval, require_approval
from neat_delta.approval.approval import approval_bytes, content_digest
from neat_delta.approval.gate import why_not
from neat_delta.base.errors import NotApproved
from neat_delta.changeset.serialization import load_changes
from neat_delta.tables.settings import Settings
from neat_delta.tables.settings_sections import SendSettings

SCHEMA = json.loads((Path(__file__).parents[2] / "docs/schemas/approval.schema.json").read_text())
SECRET = "a secret of sixteen letters"
OTHER = Settings(send=SendSettings(approval="other"))
LIVE = [["sku", "name", "price"], *([f"K-{at}", f"Hive {at}", "1.00"] for at in range(6))]
EDITED = [["sku", "name", "price"], *([f"K-{at}", f"Hive {at}", f"2.0{at}"] for at in range(5)), ["N", "New", "3.00"]]


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A change set made by Bo, in a folder whose settings want another person's approval."""
    path = tmp_path_factory.mktemp("approval")
    write_table(path / "live.csv", LIVE)
    write_table(path / "edited.csv", EDITED)
    words = ("compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", "--add-new", "--delete-missing", "3")
    neat_delta(*words, cwd=path, NEAT_DELTA_USER="Bo")
    (path / "catalogue.toml").write_text('[send]\napproval = "other"\n')
    return path


@pytest.fixture
def work(folder, tmp_path):
    return Path(shutil.copytree(folder, tmp_path / "work"))


@pytest.fixture
def changes(folder, monkeypatch):
    monkeypatch.setenv("NEAT_DELTA_APPROVAL_SECRET", SECRET)
    return load_changes(folder / "c.changes.jsonl")


def run(*words, cwd, **environment):
    return neat_delta(*words, cwd=cwd, NEAT_DELTA_APPROVAL_SECRET=SECRET, **environment)


@given(data=st.data())
def test_no_other_change_set_passes_with_it(folder, data):
    """Whatever cell is another one, is left out, or was another value before: the approval does not hold."""
    whole = load_changes(folder / "c.changes.jsonl")
    at = data.draw(st.integers(0, len(whole.cells) - 1))
    column = data.draw(st.sampled_from(["was", "now", "field", "key"]))
    rows = whole.cells.to_dicts()
    rows[at][column] = data.draw(st.text(max_size=5).filter(lambda text: text != rows[at][column]))
    changed = replace(whole, cells=whole.cells.clear().vstack(type(whole.cells)(rows, schema=whole.cells.schema)))

    assert content_digest(changed) != content_digest(whole)
    assert content_digest(replace(whole, cells=whole.cells.reverse(), items=whole.items.reverse())) == content_digest(
        whole
    )


def test_it_holds_for_what_was_approved_and_says_who(changes):
    approval = approve(changes, "c.changes.jsonl", "Anna", "fine", 14)

    require_approval(changes, OTHER, approval)
    jsonschema.validate(json.loads(approval_bytes(approval)), SCHEMA)
    assert (approval.approved_by, approval.made_by, approval.note) == ("Anna", ("Bo",), "fine")


@pytest.mark.parametrize(
    ("altered", "reason"),
    [
        ({"approved_by": "Anton"}, "was changed afterwards"),
        ({"expires": "2999-01-01T00:00:00Z"}, "was changed afterwards"),
        ({"content": "0" * 64}, "was changed afterwards"),
        ({"note": "all fine"}, "was changed afterwards"),
    ],
)
def test_whatever_is_altered_in_it_voids_it(changes, altered, reason):
    approval = replace(approve(changes, "c", "Anna", "", 14), **altered)

    with pytest.raises(NotApproved, match=reason):
        require_approval(changes, OTHER, approval)


def test_another_secret_an_expired_one_and_the_makers_own_do_not_hold(changes, monkeypatch):
    good, own = approve(changes, "c", "Anna", "", 14), approve(changes, "c", "bo", "", 14)
    old = approve(changes, "c", "Anna", "", -1)

    assert "another person must approve it" in why_not(changes, OTHER.send, own)
    assert why_not(changes, SendSettings(approval="any"), own) is None
    assert "expired" in why_not(changes, OTHER.send, old)
    assert datetime.fromisoformat(good.expires) - datetime.now(UTC) > timedelta(days=13)
    monkeypatch.setenv("NEAT_DELTA_APPROVAL_SECRET", "another " + SECRET)
    assert "not signed with the secret" in why_not(changes, OTHER.send, good)
    monkeypatch.setenv("NEAT_DELTA_APPROVAL_SECRET", "1234567")
    with pytest.raises(NotApproved, match="too short"):
        why_not(changes, OTHER.send, good)


def test_what_was_used_in_time_stays_approved_for_its_end(changes):
    expired = approve(changes, "c", "Anna", "", days=-1)
    settings = SendSettings(approval="other")

    assert "expired" in why_not(changes, settings, expired)
    in_time = (datetime.now(UTC) - timedelta(days=2)).isoformat()
    assert why_not(changes, settings, expired, used=in_time) is None


def test_nothing_is_written_or_sent_without_it_and_everything_with_it(work):
    for words in (
        ("write", "c.changes.jsonl", "-o", "up"),
        ("compare", "live.csv", "edited.csv", "--base", "none", "--write", "up"),
        ("adjust", "live.csv", "--set", "price = price * 2", "--write", "up"),
        ("compare", "live.csv", "edited.csv", "edited.csv", "--base", "none", "--write", "up"),
    ):
        refused = run(*words, cwd=work)
        assert (refused.returncode, "not approved yet" in refused.stderr) == (3, True), words
        assert not (work / "up").exists()
    own = run("approve", "c.changes.jsonl", "--by", "Bo", cwd=work)
    missing = neat_delta("approve", "c.changes.jsonl", "--by", "Anna", cwd=work)
    assert (own.returncode, missing.returncode) == (2, 3)
    assert "NEAT_DELTA_APPROVAL_SECRET" in missing.stderr
    assert not (work / "c.approval.json").exists()

    assert run("approve", "c.changes.jsonl", "--by", "Anna", cwd=work).returncode == 0
    assert run("write", "c.changes.jsonl", "-o", "up", cwd=work).returncode == 0
    receipt = json.loads((work / "up/receipt.json").read_text())
    assert (receipt["changes"]["made_by"], receipt["approval"]["approved_by"]) == (["Bo"], "Anna")
    (work / "inbox").mkdir()
    kept = (work / "up/update.approval.json").read_bytes()
    (work / "up/update.approval.json").unlink()
    words = ("send", "up", "--to", "inbox", "--history", "h.sqlite")
    assert run(*words, cwd=work).returncode == 3
    assert list((work / "inbox").iterdir()) == []
    (work / "up/update.approval.json").write_bytes(kept)
    assert neat_delta(*words, cwd=work).returncode == 3  # (the secret is missing)
    assert run(*words, cwd=work, NEAT_DELTA_USER="Cleo").returncode == 0
    entry = json.loads(run("history", "--history", "h.sqlite", "--json", cwd=work).stdout)["result"][0]
    assert (entry["made_by"], entry["approved_by"], entry["sent_by"]) == ("Bo", "Anna", "Cleo")
    assert run("write", "c.changes.jsonl", "-o", "up", "--overwrite", cwd=work).returncode == 0


def test_what_is_taken_back_is_approved_as_a_folder(work):
    run("approve", "c.changes.jsonl", "--by", "Anna", cwd=work)
    run("undo", "c.changes.jsonl", "-o", "back", cwd=work)
    (work / "inbox").mkdir()
    words = ("send", "back", "--to", "inbox", "--history", "h.sqlite")
    refused = run(*words, cwd=work)
    approved = run("approve", "back", "--by", "Anna", cwd=work)

    assert (refused.returncode, approved.returncode, run(*words, cwd=work).returncode) == (3, 0, 0)


def test_a_part_is_accepted_and_approved_at_once_and_a_change_by_hand_voids_it(work):
    done = run("pick", "c.changes.jsonl", "--only", "price", "-o", "p.changes.jsonl", "--by", "Anna", cwd=work)
    assert done.returncode == 0
    assert load_approval(work / "p.approval.json").cells == 5
    path = work / "p.changes.jsonl"
    path.write_text(path.read_text().replace("2.03", "9.03"))
    refused = run("write", "p.changes.jsonl", "-o", "up", cwd=work)

    assert refused.returncode == 3
    assert "changed after the approval by Anna" in refused.stderr


@pytest.mark.skipif(shutil.which("ssh-keygen") is None, reason="no ssh-keygen (OpenSSH) is installed here")
def test_ssh_keys_approve_each_for_its_own_name(work):
    for name in ("anna", "cleo"):
        subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", work / name], check=True)
    public = (work / "anna.pub").read_text()
    (work / "allowed_signers").write_text(f'anna namespaces="neat-delta" {public}')
    (work / "catalogue.toml").write_text('[send]\napproval = "other"\nsigners = "allowed_signers"\n')

    by_secret = run("approve", "c.changes.jsonl", "--by", "anna", cwd=work)
    stranger = run("approve", "c.changes.jsonl", "--by", "cleo", "--ssh-key", "cleo", cwd=work)
    in_her_name = run("approve", "c.changes.jsonl", "--by", "anna", "--ssh-key", "cleo", cwd=work)
    good = run("approve", "c.changes.jsonl", "--by", "anna", "--ssh-key", "anna", cwd=work)

    assert [done.returncode for done in (by_secret, stranger, in_her_name, good)] == [2, 2, 2, 0]
    assert neat_delta("write", "c.changes.jsonl", "-o", "up", cwd=work).returncode == 0


def edited_head(path, **members):
    """The change set with another head, as somebody may write it."""
    head, *lines = path.read_text("utf-8").splitlines()
    path.write_text("\n".join([json.dumps(json.loads(head) | members), *lines]) + "\n", "utf-8")


def head_of(path):
    return json.loads(path.read_text("utf-8").splitlines()[0])


@pytest.mark.parametrize(
    "change",
    [
        lambda head: {"key": ["name"]},
        lambda head: {"fields": head["fields"] | {"price": head["fields"]["price"] | {"column": "sale_price"}}},
        lambda head: {"fields": head["fields"] | {"price": head["fields"]["price"] | {"decimal_separator": ","}}},
        lambda head: {"fields": head["fields"] | {"name": head["fields"]["name"] | {"column": "price"}}},
        lambda head: {"identity": {"field": "name", "values": {"K-1": "Hive 2"}}},
    ],
)
def test_no_other_column_or_key_passes_with_it(work, change):
    assert run("approve", "c.changes.jsonl", "--by", "Anna", cwd=work).returncode == 0
    edited_head(work / "c.changes.jsonl", **change(head_of(work / "c.changes.jsonl")))

    done = run("write", "c.changes.jsonl", "-o", "up", cwd=work)
    assert done.returncode == 3
    assert "was changed after" in done.stderr
    assert not (work / "up").exists()


@pytest.mark.parametrize(
    ("maker", "approver", "passes"),
    [
        ("Smith, Anna", "Smith, Anna", False),
        ("Smith, Anna", "smith,  anna", False),
        ("Smith, Anna", "Anna", True),
        ("José", "Jose\u0301", False),
        ("Straße", "STRASSE", False),
        ("Bo", "Anna", True),
    ],
)
def test_another_person_is_another_however_a_name_is_written(work, maker, approver, passes):
    words = ("compare", "live.csv", "edited.csv", "-o", "n.changes.jsonl")
    run(*words, cwd=work, NEAT_DELTA_USER=maker)
    run("approve", "n.changes.jsonl", "--by", approver, cwd=work)

    assert (run("write", "n.changes.jsonl", "-o", "up", cwd=work).returncode == 0) == passes


def test_whoever_works_on_it_is_added_to_those_who_made_it(work):
    def makers(name):
        return head_of(work / name).get("made_by")

    write_table(work / "fresh.csv", [LIVE[0], ["K-0", "Hive 0", "2.00"], *LIVE[2:]])
    run("refresh", "c.changes.jsonl", "fresh.csv", "-o", "r.changes.jsonl", cwd=work, NEAT_DELTA_USER="Cleo")
    assert makers("r.changes.jsonl") == ["Bo", "Cleo"]
    run("refresh", "c.changes.jsonl", "live.csv", "-o", "same.changes.jsonl", cwd=work, NEAT_DELTA_USER="Cleo")
    assert makers("same.changes.jsonl") == ["Bo"]
    run("pick", "c.changes.jsonl", "--only", "price", "-o", "p.changes.jsonl", cwd=work, NEAT_DELTA_USER="Cleo")
    assert makers("p.changes.jsonl") == ["Bo", "Cleo"]
    words = ("pick", "c.changes.jsonl", "--only", "price", "-o", "q.changes.jsonl", "--by", "Anna")
    run(*words, cwd=work, NEAT_DELTA_USER="Anna")
    assert makers("q.changes.jsonl") == ["Bo"]
    words = ("combine", "p.changes.jsonl", "c.changes.jsonl", "-o", "b.changes.jsonl")
    run(*words, cwd=work, NEAT_DELTA_USER="Dora, E.")
    assert makers("b.changes.jsonl") == ["Bo", "Cleo", "Dora, E."]
    run("undo", "c.changes.jsonl", "-o", "back", "--fresh", "fresh.csv", cwd=work, NEAT_DELTA_USER="Fay")
    assert makers("back/update.changes.jsonl") == ["Bo", "Fay"]


def test_where_nobody_is_named_as_its_maker_nobody_is_another(work):
    edited_head(work / "c.changes.jsonl", made_by=[])
    done = run("approve", "c.changes.jsonl", "--by", "Anna", cwd=work)

    assert (done.returncode, "does not say who made it" in done.stderr) == (2, True)
    assert run("write", "c.changes.jsonl", "-o", "up", cwd=work).returncode == 3


def test_who_made_it_is_not_unmade_after_an_approval_where_no_rule_holds(work):
    (work / "catalogue.toml").rename(work / "rule.toml")
    assert run("approve", "c.changes.jsonl", "--by", "Bo", cwd=work).returncode == 0
    (work / "rule.toml").rename(work / "catalogue.toml")
    edited_head(work / "c.changes.jsonl", made_by=["Somebody Else"])

    assert "Bo made the change set" in run("write", "c.changes.jsonl", "-o", "up", cwd=work).stderr


@pytest.fixture
def ruled(work):
    """A change set that was made under the rule, in a folder that has none any more."""
    words = ("compare", "live.csv", "edited.csv", "-o", "r.changes.jsonl")
    run(*words, cwd=work, NEAT_DELTA_USER="Bo")
    (work / "catalogue.toml").unlink()
    return work


def test_the_rule_travels_with_the_change_set(ruled):
    assert head_of(ruled / "r.changes.jsonl")["approval"] == "other"
    assert "not approved" in run("write", "r.changes.jsonl", "-o", "up", cwd=ruled).stderr
    with pytest.raises(nd.NotApproved):
        nd.write(nd.load(ruled / "r.changes.jsonl"), ruled / "up", ruled / "live.csv")
    (ruled / "own.toml").write_text("")
    (ruled / "inbox").mkdir()
    (ruled / "night.toml").write_text(
        'live = "live.csv"\nchanges = "r.changes.jsonl"\ncatalogue = "own.toml"\nto = "inbox"\nhistory = "h.sqlite"\n'
    )
    assert run("run", "night.toml", cwd=ruled).returncode != 0
    assert list((ruled / "inbox").iterdir()) == []

    for words in (
        ("refresh", "r.changes.jsonl", "live.csv", "-o", "a.changes.jsonl"),
        ("pick", "r.changes.jsonl", "--only", "price", "-o", "b.changes.jsonl"),
        ("combine", "r.changes.jsonl", "c.changes.jsonl", "-o", "d.changes.jsonl"),
        ("undo", "r.changes.jsonl", "-o", "back", "--live", "live.csv"),
    ):
        run(*words, cwd=ruled)
    paths = [*ruled.glob("[abd].changes.jsonl"), *ruled.glob("back/*.jsonl")]
    assert [head_of(path).get("approval") for path in paths] == ["other"] * 4
    assert "not approved" in run("send", "back", "--to", "inbox", "-y", cwd=ruled).stderr

    assert run("approve", "r.changes.jsonl", "--by", "Bo", cwd=ruled).returncode == 2
    assert run("approve", "r.changes.jsonl", "--by", "Anna", cwd=ruled).returncode == 0
    assert run("write", "r.changes.jsonl", "-o", "up", cwd=ruled).returncode == 0
    assert run("send", "up", "--to", "inbox", "-y", cwd=ruled).returncode == 0

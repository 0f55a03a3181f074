"""Files that the first format's program made, beside these tests: today's program goes on with them."""

import json
import shutil
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from helpers import neat_delta
from neat_delta.atomic_write import write_atomic
from neat_delta.changeset.serialization import load_changes
from neat_delta.delivery.history import History
from neat_delta.errors import InvalidInput, InvalidSettings, NeatDeltaError, WriteError
from neat_delta.migration import format_1, migrate, migrated, replace_old
from neat_delta.migration.settings_files import lifted_settings
from neat_delta.tables.config_loader import load_settings
from neat_delta.tables.field_types import field_types
from neat_delta.views.glossary import terms
from neat_delta.workflows.scheduled.run_config import load_run

MADE = Path(__file__).parent / "format_1"
FILES = ("tuesday.changes.jsonl", "shop.toml", "nightly.toml", "journal.sqlite")


@pytest.fixture
def shop(tmp_path):
    shutil.copytree(MADE, tmp_path / "shop")
    (tmp_path / "shop" / "inbox").mkdir()
    return tmp_path / "shop"


def test_a_change_set_says_what_the_comparison_of_today_says(shop):
    replace_old([migrated(shop / "tuesday.changes.jsonl")])
    words = ("compare", "live.csv", "edited.csv", "-o", "now.changes.jsonl", "--base", "none")
    allowed = ("--ignore", "decimal slip", "--allow-new-values", "name")
    assert neat_delta(*words, *allowed, cwd=shop).returncode == 1

    lifted, today = load_changes(shop / "tuesday.changes.jsonl"), load_changes(shop / "now.changes.jsonl")
    assert lifted.cells.equals(today.cells)
    assert lifted.items.equals(today.items)
    assert lifted.counts == today.counts
    assert lifted.head.fields == today.head.fields
    assert lifted.head.overrides == today.head.overrides
    same = ["key", "field", "line", "code", "level", "effect", "value"]
    assert lifted.findings.select(same).equals(today.findings.select(same))


def test_settings_and_run_files_mean_the_same_and_keep_their_comments(shop):
    replace_old([migrated(shop / name) for name in ("shop.toml", "nightly.toml")])

    settings, run = load_settings(shop / "shop.toml"), load_run(shop / "nightly.toml")
    profile = settings.profiles["kelp"]
    assert (settings.fields["price"].type, settings.fields["active"].type) == ("price", "yes/no")
    assert (settings.roles.price, settings.roles.cost) == ("price", "cost")
    assert (settings.checks.largest_change, settings.checks.ignore) == (0.3, ("decimal slip", "wrong barcode"))
    assert profile.columns == {"Our no.": "sku", "Net": "cost"}
    assert (profile.skip, profile.constants, profile.codes) == (("name",), {"active": "1"}, {"K-1": "0101"})
    assert profile.rules == ("price = file.net * 2 || ' list.net'",)
    assert (settings.checks.conditions[0].level, settings.checks.conditions[0].message) == (
        "warning", "the cost is above the price",
    )  # fmt: skip
    assert (run.add_new, run.delete_missing, run.repair_keys, run.output_format) == (True, 5, True, "jsonl")
    assert (run.profile, run.history, run.limits.errors) == ("kelp", shop / "journal.sqlite", 3)
    for name in ("shop.toml", "nightly.toml"):
        comments = [line.partition("#")[2] for line in (MADE / name).read_text().splitlines() if "#" in line]
        assert [line.partition("#")[2] for line in (shop / name).read_text().splitlines() if "#" in line] == comments


def test_every_name_of_then_has_become_one_of_today():
    types = {kind.name for kind in field_types()}
    explained = {term.name for term in terms()}
    assert set(format_1.TYPES.values()) <= types and not set(format_1.TYPES) & types
    assert set(format_1.STATES.values()) == {"unchanged", "duplicate", "rejected", "missing", "excluded"}
    assert set(format_1.CHECKS.values()) <= explained and not set(format_1.CHECKS) & explained


def test_what_was_sent_stays_known_and_can_be_undone(shop):
    replace_old([migrated(shop / "journal.sqlite")])

    (entry,) = History(shop / "journal.sqlite").entries()
    assert [(file.action, file.state) for file in entry.files] == [("change", "done")] * len(entry.files)
    done = neat_delta("undo", "1", "-o", "back", "--fresh", "live.csv", "--history", "journal.sqlite", cwd=shop)
    assert "5 cells as before the update" in done.stdout, done.stderr


@pytest.mark.parametrize(
    ("words", "file"),
    [
        (("preview", "tuesday.changes.jsonl"), "tuesday.changes.jsonl"),
        (("inspect", "live.csv", "--catalogue", "shop.toml"), "shop.toml"),
        (("run", "nightly.toml", "--validate"), "nightly.toml"),
        (("history", "--history", "journal.sqlite"), "journal.sqlite"),
    ],
)
def test_an_older_file_is_refused_with_the_way_to_use_it(shop, words, file):
    refused = neat_delta(*words, cwd=shop)
    assert refused.returncode == 3
    assert f"neat-delta migrate {file} --overwrite" in refused.stderr

    neat_delta("migrate", *FILES, "--overwrite", cwd=shop)
    assert neat_delta(*words, cwd=shop).returncode in (0, 1)
    assert (shop / f"{file}.format-1").read_bytes() == (MADE / file).read_bytes()


def test_without_an_order_to_write_nothing_is_written(shop):
    before = {path: path.read_bytes() for path in shop.glob("*.*")}
    done = neat_delta("migrate", *FILES, cwd=shop)

    assert done.returncode == 1
    assert done.stdout.count("format 1 → 2") == 4
    assert {path: path.read_bytes() for path in shop.glob("*.*")} == before


def test_nothing_is_written_if_one_file_is_damaged(shop):
    with (shop / "tuesday.changes.jsonl").open("a") as file:
        file.write('{"key": ["0101"\n')
    done = neat_delta("migrate", "shop.toml", "tuesday.changes.jsonl", "--overwrite", cwd=shop)

    assert done.returncode == 3 and "tuesday.changes.jsonl, line 8: this line is damaged" in done.stderr
    assert (shop / "shop.toml").read_bytes() == (MADE / "shop.toml").read_bytes()


def test_the_old_file_is_never_written_over(shop):
    (shop / "shop.toml.format-1").write_text("mine")
    with pytest.raises(WriteError, match="Move it away"):
        replace_old([migrated(shop / "shop.toml")])
    assert (shop / "shop.toml").read_bytes() == (MADE / "shop.toml").read_bytes()


def test_a_run_that_was_killed_half_way_is_done_by_the_next(shop, monkeypatch):
    def killed(path, data, **options):
        if options.get("replace"):
            raise KeyboardInterrupt
        write_atomic(path, data, **options)

    monkeypatch.setattr(migrate, "write_atomic", killed)
    with pytest.raises(KeyboardInterrupt):
        replace_old([migrated(shop / name) for name in FILES])
    assert [(shop / name).read_bytes() for name in FILES] == [(MADE / name).read_bytes() for name in FILES]

    monkeypatch.undo()
    replace_old([migrated(shop / name) for name in FILES])
    assert [migrated(shop / name).data for name in FILES] == [None] * len(FILES)
    assert [(shop / f"{name}.format-1").read_bytes() for name in FILES] == [
        (MADE / name).read_bytes() for name in FILES
    ]


@given(data=st.data())
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_damaged_file_is_refused_or_migrated_and_nothing_else(tmp_path, data):
    name = data.draw(st.sampled_from(FILES))
    content = bytearray((MADE / name).read_bytes())
    for _ in range(data.draw(st.integers(1, 3))):
        at = data.draw(st.integers(0, len(content)))
        content[at : at + data.draw(st.integers(0, 40))] = data.draw(st.binary(max_size=8))
    path = tmp_path / name
    path.write_bytes(content)
    try:
        found = migrated(path)
    except NeatDeltaError as error:
        assert str(path) in str(error)
    else:
        assert found.was in (1, 2)


@pytest.mark.parametrize("name", FILES)
def test_a_file_of_today_stays_as_it_is(shop, name):
    replace_old([migrated(shop / name)])
    assert migrated(shop / name).data is None


def test_the_demo_settings_are_of_today():
    for path in (Path(__file__).parents[2] / "src" / "neat_delta" / "demo_shop").glob("*.toml"):
        assert lifted_settings(path.read_text("utf-8")) == path.read_text("utf-8")


@given(st.lists(st.text("'\"ab.list ", max_size=12)))
def test_texts_in_quotes_and_files_of_today_keep_their_words(words):
    document = "[profiles.a]\nset = " + json.dumps([f"price = {word}list.b" for word in words]) + "\n"
    assert lifted_settings(document) == document


@pytest.mark.parametrize(
    ("name", "data", "message"),
    [
        ("live.csv", b"sku,price\n", "not a file of this program"),
        ("a.toml", b"key = [", "not a valid TOML file"),
        ("b.toml", b"[lists.a]\nleave_out = 5\n", "must be a list"),
        ("receipt.json", b'{"neat_delta": 1}', "a receipt of format 1 cannot be used any more"),
        ("c.jsonl", b'{"neat_delta": 3, "fields": {}}', "formats up to 2"),
        ("d.jsonl", b'{"neat_delta": 1, "key": ["sku"], "fields": {}}', "line 1: this line is damaged"),
        ("e.sqlite", b"SQLite format 3\0" + b"x" * 100, "the history file is damaged"),
        ("f.jsonl", b"{", "not a file of this program"),
    ],
)
def test_a_file_that_is_none_of_ours_is_named(tmp_path, name, data, message):
    (tmp_path / name).write_bytes(data)
    with pytest.raises((InvalidInput, InvalidSettings), match=message):
        migrated(tmp_path / name)

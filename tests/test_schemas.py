"""What the program prints and saves is what its JSON Schemas say; on the demo's files, of every kind."""

import json
import re
import shlex
import tomllib
from pathlib import Path

import jsonschema
import pytest

from helpers import neat_delta
from neat_delta.base.errors import NeatDeltaError
from neat_delta.schemas import END, schema_names, schema_text
from neat_delta.tables.settings_file import load_settings
from neat_delta.workflows.scheduled.run_config import load_run

ROOT = Path(__file__).parents[1]
SECRET = {"NEAT_DELTA_APPROVAL_SECRET": "a secret of sixteen letters"}
# Commands on the demo's files, in the order of work; some fail, for errors have the envelope too.
COMMANDS = """
inspect live.csv
setup live.csv -o my.toml
sheet live.csv -o work.xlsx --fields name,price
compare live.csv edited.csv --base none -o c.changes.jsonl
compare live.csv pellimoor.csv --map "Our no.=supplier_code" --match-on supplier_code --skip maker -o s.changes.jsonl
adjust live.csv --set price=price*1.1 -o a.changes.jsonl
recode live.csv codes.csv -o r.changes.jsonl
compare live.csv edited.csv --base none --add-new --delete-missing 9 -o n.changes.jsonl
combine c.changes.jsonl a.changes.jsonl -o both.changes.jsonl
check c.changes.jsonl
preview c.changes.jsonl --money --stock
pick c.changes.jsonl --only price -o p.changes.jsonl --by Anna
approve c.changes.jsonl --by Anna
write c.changes.jsonl -o up
write n.changes.jsonl -o up-new --pack one-file
write r.changes.jsonl -o up-codes
send up --to inbox -y
send up --to inbox -y
undo c.changes.jsonl -o back
refresh c.changes.jsonl live.csv -o f.changes.jsonl
verify c.changes.jsonl live.csv
history
history 1
history --cells
history 000419
history --exports
explain repaired
schema
schema envelope
run r.toml
run r.toml --validate
run broken.toml
doctor
compare live.csv nowhere.csv
compare live.csv
check live.csv
preview c.changes.jsonl --by nothing
"""
# What is saved, by the end of its name.
SAVED = {
    ".approval.json": "approval",
    "receipt.json": "receipt",
    "summary.json": "run-summary",
    ".jsonl": "change-set",
}


@pytest.fixture(scope="module")
def shop(tmp_path_factory):
    """The demo's files, on which every command has been run; and what each printed."""
    folder = tmp_path_factory.mktemp("schemas")
    neat_delta("demo", "shop", cwd=folder)
    shop = folder / "shop"
    (shop / "inbox").mkdir()
    (shop / "r.toml").write_text('live = "live.csv"\nedited = "edited.csv"\nto = "inbox2"\n')
    (shop / "inbox2").mkdir()
    (shop / "broken.toml").write_text("live = 3\n")
    printed = {}
    for line in COMMANDS.strip().splitlines():
        printed.setdefault(line, []).append(neat_delta(*shlex.split(line), "--json", cwd=shop, **SECRET))
    return shop, printed


def validator(name):
    schema = json.loads(schema_text(name))
    kind = jsonschema.validators.validator_for(schema)
    kind.check_schema(schema)
    return kind(schema, format_checker=jsonschema.FormatChecker())


def test_every_command_prints_one_envelope(shop):
    check = validator("envelope")
    codes = set()
    for line, done in ((line, one) for line, all_of_it in shop[1].items() for one in all_of_it):
        envelope = json.loads(done.stdout)
        assert not list(check.iter_errors(envelope)), (line, next(check.iter_errors(envelope)).message)
        assert (envelope["exit"], envelope["command"]) == (done.returncode, line.split()[0]), line
        codes.add(done.returncode)
    assert codes == {0, 1, 2, 3, 4}


def test_every_saved_file_is_as_its_schema_says(shop):
    folder, _ = shop
    found = dict.fromkeys(SAVED.values(), 0)
    for path in sorted(folder.rglob("*")):
        name = next((name for end, name in SAVED.items() if path.name.endswith(end) and path.is_file()), None)
        if name is None:
            continue
        check, text = validator(name), path.read_text("utf-8")
        for number, document in enumerate(text.splitlines() if name == "change-set" else [text], start=1):
            fault = next(check.iter_errors(json.loads(document)), None)
            assert fault is None, (path.name, number, fault.message)
        found[name] += 1
    assert found["change-set"] > 8
    assert found["receipt"] >= 4
    assert found["run-summary"] >= 2
    assert found["approval"] >= 2


def test_a_schema_refuses_what_is_not_as_it_says(shop):
    receipt = json.loads((shop[0] / "up" / "receipt.json").read_text())
    check = validator("receipt")
    for changed in ({"made": 3}, {"files": [{}]}, {"extra": 1}, {"changes": {}}):
        assert list(check.iter_errors(receipt | changed))


WRONG_RUNS = (
    "live = 3",
    'edited = "e.csv"',
    'live = "a.csv"\nedited = "b.csv"\nblanks = "cleer"',
    'live = "a.csv"\nedited = "b.csv"\ndelete_missing = -1',
    'live = "a.csv"\nedited = "b.csv"\nno_such = 1',
    'live = "a.csv"\nedited = "b.csv"\n[limits]\nchanged = "many"',
    'live = "a.csv"\nedited = "b.csv"\n[verify]\ntries = 0',
    'live = "a.csv"\n[[edited_files]]\nprofile = "p"',
)
WRONG_SETTINGS = (
    "key = 5",
    '[fields.price]\nlocked = "yes"',
    "[store]\nkept = 3",
    '[export]\ndelimiter = ";;"',
    '[tables.costs]\ncolumn = "sku"',
)


@pytest.mark.parametrize(("name", "texts"), [("run-file", WRONG_RUNS), ("catalogue", WRONG_SETTINGS)])
def test_what_the_program_refuses_in_a_file_of_settings_its_schema_refuses(tmp_path, name, texts):
    load = {"run-file": load_run, "catalogue": load_settings}[name]
    check = validator(name)
    for text in texts:
        (tmp_path / "file.toml").write_text(text)
        with pytest.raises(NeatDeltaError):
            load(tmp_path / "file.toml")
        assert list(check.iter_errors(tomllib.loads(text))), text


def test_each_file_of_settings_in_the_docs_is_as_its_schema_says():
    seen = {"run-file": 0, "catalogue": 0}
    for page in (ROOT / "docs").rglob("*.md"):
        for text in re.findall(r"```toml\n(.*?)```", page.read_text("utf-8"), re.DOTALL):
            # (Times are texts in JSON.)
            document = json.loads(json.dumps(tomllib.loads(text), default=str))
            if "project" in document:
                continue  # of the Python package of a plug-in
            is_run = "live" in document or page.stem in ("run-files", "tutorial-nightly")
            name = "run-file" if is_run else "catalogue"
            document |= {"live": document.get("live", "live.csv")} if name == "run-file" else {}
            assert not list(validator(name).iter_errors(document)), (page, text)
            seen[name] += 1
    assert min(seen.values()) > 4


def test_the_docs_have_the_schemas_that_the_program_prints():
    assert {path.name: path.read_text("utf-8") for path in (ROOT / "docs" / "schemas").iterdir()} == {
        f"{name}{END}": schema_text(name) for name in schema_names()
    }
    page = (ROOT / "docs" / "json.md").read_text("utf-8")
    assert set(re.findall(r"schemas/([a-z-]+)\.schema\.json", page)) == set(schema_names())


def test_the_command_prints_a_schema_as_it_is(shop):
    done = neat_delta("schema", "decisions", cwd=shop[0])
    assert json.loads(done.stdout) == json.loads(schema_text("decisions"))

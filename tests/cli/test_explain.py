import ast
import importlib
import itertools
import json
import re
from pathlib import Path

import pytest

from helpers import neat_delta
from neat_delta.changeset.problems import PROBLEMS
from neat_delta.checks import CHECKS
from neat_delta.cli.hints import HINTS
from neat_delta.tables.config_loader import keys_of
from neat_delta.tables.setting_texts import option_texts, sections, setting_texts
from neat_delta.tables.settings import Settings
from neat_delta.views.glossary import terms
from neat_delta.workflows.scheduled.run_config import RunConfig

SOURCE = Path(__file__).parents[2] / "src" / "neat_delta"


@pytest.mark.parametrize(
    ("name", "means"),
    [
        (["decimal slip"], "10, 100 or 1,000 times"),
        (["Decimal", "Slip"], "10, 100 or 1,000 times"),
        (["largest_change"], "0.5"),
        (["3"], "cannot be read"),
        (["rejected"], "whole row"),
        (["yes/no"], "yes or no"),
    ],
)
def test_a_name_on_the_screen_is_explained(tmp_path, name, means):
    shown = neat_delta("explain", *name, cwd=tmp_path)

    assert shown.returncode == 0
    assert means in " ".join(shown.stdout.split())


def test_a_check_is_explained_with_example_fix_and_override(tmp_path):
    shown = neat_delta("explain", "decimal slip", cwd=tmp_path).stdout

    assert [line.split()[0] for line in shown.splitlines()] == ["check", "means", "example", "fix", "override"]
    assert '--ignore "decimal slip"' in shown


@pytest.mark.parametrize(
    ("command", "meant"),
    [
        (["explain", "decimal slp"], "decimal slip"),
        (["compare", "live.csv", "live.csv", "--unlock", "pric"], "price"),
        (["compare", "live.csv", "live.csv", "--ignore", "decimal slp"], "decimal slip"),
        (["compare", "live.csv", "live.csv", "--key", "skuu"], "sku"),
        (["compare", "live.csv", "live.csv", "--type", "price=pricee"], "price"),
        (["compare", "live.csv", "live.csv", "--map", "pric=cost"], "price"),
        (["compare", "live.csv", "live.csv", "--profile", "waxwendl"], "waxwendle"),
        (["compare", "live.csv", "live.csv", "--where", "pricce > 1"], "price"),
        (["adjust", "live.csv", "--set", "price = csot * 2"], "cost"),
        (["sheet", "live.csv", "-o", "x.xlsx", "--fields", "stok"], "stock"),
        (["compar"], "compare"),
    ],
    ids=" ".join,
)
def test_a_misspelt_name_brings_up_the_nearest(tmp_path, command, meant):
    (tmp_path / "live.csv").write_text("sku,price,cost,stock\nA,1.00,0.50,3\n", "utf-8")
    (tmp_path / "catalogue.toml").write_text('[profiles.waxwendle.columns]\n"Price" = "price"\n', "utf-8")
    shown = neat_delta(*command, cwd=tmp_path)

    assert shown.returncode == 2
    assert re.search(rf"[Dd]id you mean '?{meant}'?\b", shown.stderr), shown.stderr


def test_every_problem_that_the_code_can_find_is_explained():
    assert {term.name for term in terms() if term.kind == "problem"} == set(PROBLEMS)
    # What is no problem of the register is a check.
    text = "".join(path.read_text("utf-8") for path in SOURCE.rglob("*.py"))
    codes = set(re.findall(r'findings_frame\(\s*"([^"]+)"', text))
    assert codes <= {check.name for check in CHECKS}


def test_each_explanation_ends_as_a_sentence_does(tmp_path):
    told = json.loads(neat_delta("explain", "--json", cwd=tmp_path).stdout)["result"]

    assert len(told) == len(terms())
    assert [one for one in told if not one["means"].endswith((".", "`", "…"))] == []


def test_every_code_of_an_error_is_explained():
    text = "".join(path.read_text("utf-8") for path in SOURCE.rglob("*.py"))
    codes = set(re.findall(r'code ?= ?"([a-z-]+)"|code: str = "([a-z-]+)"', text))
    named = {code for pair in codes for code in pair if code} - {"computed"}  # (that one is a finding's)
    assert named | set(HINTS) | {"usage"} == {term.name for term in terms() if term.kind == "error"}


@pytest.mark.parametrize(("cls", "module"), [(Settings, "tables"), (RunConfig, "workflows/scheduled")])
def test_the_settings_that_are_explained_are_those_that_a_file_may_have(cls, module):
    explained = {term.name for term in terms() if term.kind == "setting"}
    assert set(keys_of(cls).values()) <= explained
    for source in (SOURCE / module).glob("*.py"):
        text = source.read_text("utf-8")
        declared = importlib.import_module(".".join(["neat_delta", *module.split("/"), source.stem]))
        for name in sections(text):
            told = set(setting_texts(text, name)) | set(option_texts(getattr(declared, name)))
            assert told == set(keys_of(getattr(declared, name)).values()), name


def named_in(tree):
    """What is named in front of a level, in a call or a row of a table; and what is named after SKUs in a table."""
    for node in ast.walk(tree):
        row = node.args if isinstance(node, ast.Call) else node.elts if isinstance(node, ast.Tuple | ast.List) else []
        texts = [one.value if isinstance(one, ast.Constant) else None for one in row]
        yield from (name for name, level in itertools.pairwise(texts) if level in ("error", "warning", "note") and name)
        if isinstance(node, ast.Dict):
            yield from (one.value for one in node.keys if isinstance(one, ast.Constant) and "SKU" in str(one.value))


def test_everything_that_is_found_in_a_file_is_explained():
    found = {name for path in SOURCE.rglob("*.py") for name in named_in(ast.parse(path.read_text("utf-8")))}
    assert len(found) > 50
    assert found - {term.name for term in terms()} - {"error", "warning", "expires", "--worksheet"} == set()

"""The rules that keep the project a house: one way for imports, files that anyone can make anew."""

import ast
import statistics
import subprocess
import sys
import sysconfig
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent


def test_imports_point_one_way():
    linter = Path(sysconfig.get_path("scripts")) / "lint-imports"
    done = subprocess.run([linter, "--no-cache"], cwd=ROOT, capture_output=True, text=True, check=False)

    assert done.returncode == 0, done.stdout


@pytest.mark.parametrize("name", ["live.csv", "edited.csv", "pellimoor.csv"])
def test_the_demo_shop_is_what_its_script_makes(tmp_path, monkeypatch, name):
    monkeypatch.syspath_prepend(str(ROOT / "scripts"))
    import make_demo_shop

    monkeypatch.setattr(make_demo_shop, "SHOP", tmp_path)
    make_demo_shop.main()

    assert (tmp_path / name).read_bytes() == (ROOT / "src/neat_delta/demo_shop" / name).read_bytes()
    assert sys.modules.pop("make_demo_shop")


@pytest.mark.parametrize("path", ["docs/catalogue.md", "docs/schedule.md"])
def test_the_tables_of_settings_are_what_is_declared(monkeypatch, path):
    monkeypatch.syspath_prepend(str(ROOT / "scripts"))
    import make_settings_tables

    assert (ROOT / path).read_text("utf-8") == make_settings_tables.page(path)
    assert sys.modules.pop("make_settings_tables")


def test_functions_and_modules_stay_small():
    lengths, too_long, too_many = [], [], []
    for path in (ROOT / "src").rglob("*.py"):
        text = path.read_text("utf-8")
        if text.count("\n") > 400:
            too_long.append(path.name)
        for function in (node for node in ast.walk(ast.parse(text)) if isinstance(node, ast.FunctionDef)):
            length = function.end_lineno - function.lineno + 1
            lengths.append(length)
            is_command = any(".command(" in ast.unparse(decorator) for decorator in function.decorator_list)
            arguments = [*function.args.args, *function.args.kwonlyargs]
            count = len([argument for argument in arguments if argument.arg not in ("self", "cls")])
            if is_command:
                continue
            if length > 60:
                too_long.append(f"{path.name}:{function.name}")
            if count > 7:
                too_many.append(f"{path.name}:{function.name}")

    assert (too_long, too_many) == ([], [])
    assert statistics.median(lengths) <= 10

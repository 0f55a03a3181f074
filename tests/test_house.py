"""The rules that keep the project a house: one way for imports, files that anyone can make anew."""

import ast
import importlib
import re
import shutil
import statistics
import subprocess
import sys
import sysconfig
from pathlib import Path

import pytest

from neat_delta.base import errors
from neat_delta.cli.hints import HINTS
from neat_delta.schemas import schema_text

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


@pytest.mark.parametrize(
    "path",
    ["docs/commands.md", "docs/catalogue.md", "docs/run-files.md", "docs/checks.md", "docs/glossary.md", "docs/api.md"],
)
def test_what_the_docs_list_is_what_the_code_declares(monkeypatch, path):
    monkeypatch.syspath_prepend(str(ROOT / "scripts"))
    import make_docs

    assert (ROOT / path).read_text("utf-8") == make_docs.page(path)
    assert sys.modules.pop("make_docs")


def test_the_manual_pages_are_made_from_the_commands(monkeypatch):
    monkeypatch.syspath_prepend(str(ROOT / "scripts"))
    import man_pages

    made = man_pages.man_pages()
    assert made == {path.name: path.read_text("utf-8") for path in (ROOT / "docs" / "man").iterdir()}
    assert sys.modules.pop("man_pages")


def test_what_is_made_from_declarations_is_as_they_are(monkeypatch):
    monkeypatch.syspath_prepend(ROOT / "scripts")
    import make_arguments
    import make_docs

    ruff = [sys.executable, "-m", "ruff", "format", "--stdin-filename", "arguments.py", "-"]
    made = subprocess.run(
        ruff, cwd=ROOT, input=make_arguments.arguments(), capture_output=True, text=True, encoding="utf-8", check=True
    )
    assert made.stdout == make_arguments.TARGET.read_text("utf-8")
    assert make_docs.change_set_schema() == schema_text("change-set")
    assert {name: make_docs.settings_schema(name) == schema_text(name) for name in make_docs.FILES} == {
        "catalogue": True,
        "run-file": True,
    }
    assert sys.modules.pop("make_arguments") and sys.modules.pop("make_docs")


def test_the_docstrings_name_only_what_there_is(monkeypatch, capsys):
    monkeypatch.syspath_prepend(ROOT / "scripts")
    import check_docstrings

    assert check_docstrings.main(check_docstrings.SOURCE) == 0, capsys.readouterr().out
    assert sys.modules.pop("check_docstrings")


@pytest.mark.skipif(shutil.which("groff") is None, reason="needs groff, which sets manual pages")
def test_the_manual_pages_are_set_without_a_warning():
    pages = sorted((ROOT / "docs" / "man").iterdir())
    done = subprocess.run(
        ["groff", "-k", "-man", "-Tutf8", "-ww", *pages], capture_output=True, text=True, encoding="utf-8", check=True
    )
    assert done.stderr == ""
    shown = re.sub("\\x1b\\[\\d*m|.\\x08", "", done.stdout)
    assert "neat-delta recode [OPTIONS] LIVE CODES" in shown and "\\" not in shown


def test_functions_and_modules_stay_small():
    lengths, too_long, too_many = [], [], []
    for path in (ROOT / "src").rglob("*.py"):
        text = path.read_text("utf-8")
        if text.count("\n") > 400:
            too_long.append(path.name)
        for function in (node for node in ast.walk(ast.parse(text)) if isinstance(node, ast.FunctionDef)):
            length = function.end_lineno - function.lineno + 1
            lengths.append(length)
            arguments = [*function.args.args, *function.args.kwonlyargs]
            count = len([argument for argument in arguments if argument.arg not in ("self", "cls")])
            if length > 60:
                too_long.append(f"{path.name}:{function.name}")
            if count > 7:
                too_many.append(f"{path.name}:{function.name}")

    assert (too_long, too_many) == ([], [])
    assert statistics.median(lengths) <= 10


def test_variables_are_called_by_what_they_hold():
    """Words that fit anything say nothing: a noun of the job stands in their place."""
    empty = {"found", "own", "there", "known", "wanted"}
    named = {
        f"{path.name}:{node.lineno} {name}"
        for path in (ROOT / "src").rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text("utf-8")))
        # (The setting [known] of catalogue.toml is called so.)
        if path.name != "settings.py"
        and (name := getattr(node, "id", None) or getattr(node, "arg", None)) in empty
        and (isinstance(node, ast.arg) or isinstance(getattr(node, "ctx", None), ast.Store))
    }
    assert named == set()


def test_the_core_names_no_options():
    """The core says what is wrong; which option helps is the command line's affair."""
    named = []
    for path in (ROOT / "src" / "neat_delta").rglob("*.py"):
        if path.relative_to(ROOT / "src" / "neat_delta").parts[0] in ("cli", "views"):
            continue
        if path.name in (
            "requests.py",
            "view_requests.py",
            "option_groups.py",
            "compare_options.py",
        ):  # (where options are declared)
            continue
        tree = ast.parse(path.read_text("utf-8"))
        docstrings = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
        texts = [node for node in ast.walk(tree) if isinstance(node, ast.Constant) and isinstance(node.value, str)]
        named += [
            f"{path.name}: {text.value}"
            for text in texts
            if id(text) not in docstrings and re.search(r"(^|\s)--[a-z]", text.value)
        ]

    # Only the run without anybody names the command that shows more, for the person who reads its report.
    assert [text for text in named if not text.startswith(("run.py:", "delivering.py:"))] == []


def test_every_hint_of_the_command_line_is_for_an_error_of_the_core():
    source = "".join(path.read_text("utf-8") for path in (ROOT / "src" / "neat_delta").rglob("*.py"))

    named = set(re.findall(r'code ?= ?"([\w-]+)"|"([\w-]+)"\)', source))
    assert set(HINTS) <= {code for pair in named for code in pair}


def test_the_drawing_of_the_errors_has_them_all():
    for path in (ROOT / "src" / "neat_delta").rglob("*.py"):
        importlib.import_module(
            ".".join(path.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__")
        )

    def below(kind):
        return [kind.__name__, *(name for one in kind.__subclasses__() for name in below(one))]

    public = {name for name in below(errors.NeatDeltaError) if not name.startswith("_")}
    drawn = re.findall(r"^[│├└─ ]*([A-Z]\w+)(?=  |$)", errors.__doc__, re.MULTILINE)
    assert set(drawn) == public


# Where files are read that are no tables: settings, our own files, what was just written, and the one door for bytes.
READERS = {
    "locations/prefetch.py", "files/content.py", "files/memory.py", "tables/config_loader.py", "tables/roles.py",
    "changeset/serialization.py", "update/receipt.py",
    "schemas/__init__.py", "remote/secrets.py",
    "update/replaceable.py", "update/record_proof.py", "export_store/store.py", "delivery/destinations.py",
    "delivery/sent_mark.py",
    "workflows/scheduled/notices.py", "tables/variables.py",
}  # fmt: skip


def test_files_are_read_in_few_places():
    core = ROOT / "src" / "neat_delta"
    found = {
        path.relative_to(core).as_posix()
        for path in core.rglob("*.py")
        if re.search(r"\.read_(bytes|text)\(|\bopen\([^)]*[\"']r", path.read_text("utf-8"))
    }

    assert {name for name in found if not name.startswith(("cli/", "views/", "practice_shop/"))} == READERS

"""One plain language: the words that were given up stay out of everything that people read."""

import ast
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
# Each with the word to use instead.
GIVEN_UP = {
    r"told": "given, shown",
    r"settled?|settles|settling": "set, configured; verify",
    r"stands?": "is, is in",
    r"mend(s|ed)?": "correct",
    r"held back|holds? back": "errors, not sent",
    r"left alone": "ignored, unchanged",
    r"clash(es)?": "conflict",
    r"landed": "applied",
    r"dear|thin margin|tenfold|spelt twice|points nowhere|dragged series|cut alike": "the check's name",
    r"journal": "history",
    r"rescued?|rescue codes": "repair",
    r"fingerprints?": "checksum",
    r"character sets?": "encoding",
    r"decimal marks?": "decimal separator",
    r"trial run": "checks",
    r"stock rooms?": "location",
    r"remarks?": "comment",
    r"result list": "import report",
    r"nobody asked for": "extra",
    r"anew": "again, new",
    r"the middle one": "median",
    r"take or leave": "accept or reject",
    r"by now": "now",
    r"without anybody|a person is needed": "unattended; needs attention",
}
PATTERN = re.compile(r"(?<![\w-])(" + "|".join(GIVEN_UP) + r")(?![\w-])", re.IGNORECASE)
PAGES = sorted(path for path in [ROOT / "README.md", *(ROOT / "docs").rglob("*.md")])
TEMPLATES = sorted(
    path
    for path in (ROOT / "src" / "neat_delta").rglob("*")
    if path.suffix in (".html", ".js", ".toml", ".json") and path.is_file()
)


def printed_texts(path):
    """The texts of a module but for docstrings; of a command and of a setting its docstring is shown to people, too."""
    tree = ast.parse(path.read_text("utf-8"))
    shown = set()
    for node in ast.walk(tree):
        is_command = isinstance(node, ast.FunctionDef) and any(
            "command(" in ast.unparse(d) for d in node.decorator_list
        )
        if is_command and isinstance(node.body[0], ast.Expr):
            shown.add(id(node.body[0].value))
        if isinstance(node, ast.ClassDef) and path.name in ("settings.py", "run_config.py", "read_options.py"):
            shown |= {id(each.value) for each in node.body[1:] if isinstance(each, ast.Expr)}
    docstrings = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)} - shown
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in docstrings:
            yield node.lineno, node.value


def test_no_printed_text_has_a_word_that_was_given_up():
    found = [
        f"{path.relative_to(ROOT)}:{line}: {hit[0]!r} in {text[:70]!r}"
        for path in sorted((ROOT / "src" / "neat_delta").rglob("*.py"))
        for line, text in printed_texts(path)
        # A lone word is a name in the code rather than a text.
        if " " in text.strip() and not text.lstrip().startswith(("SELECT", "INSERT", "UPDATE", "CREATE", "\nCREATE"))
        for hit in [PATTERN.search(text)]
        if hit
    ]

    assert found == []


def word_for(given_up):
    return next(new for old, new in GIVEN_UP.items() if re.fullmatch(old, given_up, re.IGNORECASE))


@pytest.mark.parametrize("path", [*PAGES, *TEMPLATES], ids=lambda path: path.name)
def test_no_page_has_a_word_that_was_given_up(path):
    lines = path.read_text("utf-8").splitlines()
    found = [
        f"{path.name}:{number}: {hit[0]!r}: say {word_for(hit[0])}"
        for number, line in enumerate(lines, start=1)
        for hit in [PATTERN.search(line)]
        if hit and path.suffix != ".js"
    ]

    assert found == []

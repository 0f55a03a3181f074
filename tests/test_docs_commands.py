"""Every command line of the docs is run, page by page, on the demo's files; a line may need attention, but works."""

import re
from pathlib import Path

import pytest

from docs_stage import Stage, furnish

ROOT = Path(__file__).parents[1]
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").rglob("*.md"))]
# Each of its lines is an example of its own; those of other pages go on from each other.
SINGLE = ("commands.md",)
TUTORIAL = "tutorial.md"  # (goes as it says, in test_docs.py)


@pytest.fixture(scope="session")
def furnished(tmp_path_factory):
    folder = tmp_path_factory.mktemp("docs") / "shop"
    furnish(folder)
    return folder


def lines_of(page):
    """The lines of a page that a reader would type, without what is remarked behind them."""
    for block in re.findall(r"^```sh\n(.*?)^```", page.read_text("utf-8"), re.MULTILINE | re.DOTALL):
        for line in block.splitlines():
            line = re.sub(r"\s+#.*", "", line.strip()).partition(" | ")[0].partition(" > ")[0]
            if line.startswith(("neat-delta ", "cd ")):
                yield line


def run(stage, lines):
    failed = []
    for line in lines:
        done = stage.run(line)
        if done is not None and done.returncode not in (0, 1):
            failed.append((line, done.returncode, done.stderr or done.stdout[-300:]))
    stage.open.close()
    return failed


CASES = [(page, [line]) for page in PAGES if page.name in SINGLE for line in lines_of(page)]
CASES += [(page, list(lines_of(page))) for page in PAGES if page.name not in (*SINGLE, TUTORIAL)]


@pytest.mark.parametrize(("page", "lines"), [pytest.param(*case, id=case[0].name) for case in CASES if case[1]])
def test_the_command_lines_of_the_docs_work(furnished, tmp_path, page, lines):
    assert run(Stage(furnished, tmp_path / "shop", lines), lines) == []

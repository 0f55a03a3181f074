"""Every command line of the docs is run, page by page, on the demo's files; a line may need attention, but works."""

import os
import re
import shlex
from pathlib import Path

import pytest
from filelock import FileLock

from docs_stage import Stage, furnish
from helpers import neat_delta

ROOT = Path(__file__).parents[1]
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").rglob("*.md"))]
# Each of its lines is an example of its own; those of other pages go on from each other.
SINGLE = ("commands.md",)
TUTORIAL = "tutorial.md"  # (goes as it says, in test_docs.py)
README = "README.md"  # (in the folder of the demo, with nothing else there)


@pytest.fixture(scope="session")
def furnished(tmp_path_factory):
    """The folder that pages presume, made once for all workers."""
    place = tmp_path_factory.getbasetemp()
    place = (place.parent if "PYTEST_XDIST_WORKER" in os.environ else place) / "docs"
    place.mkdir(exist_ok=True)
    with FileLock(place / "lock"):
        if not (place / "shop").exists():
            (place / "made").mkdir()
            furnish(place / "made" / "shop")
            (place / "made" / "shop").rename(place / "shop")
    return place / "shop"


def steps_of(page):
    """What a reader does on a page, in order: a file that is shown with its name is made, a line is typed.

    What is remarked behind a line is no part of it.
    """
    text = page.read_text("utf-8")
    for head, block in re.findall(r"^```(\w[^\n]*)\n(.*?)^```", text, re.MULTILINE | re.DOTALL):
        if title := re.search(r'title="([^"]+)"', head):
            yield title[1], block
        elif head == "sh":
            for line in block.splitlines():
                line = re.sub(r"\s+#.*", "", line.strip()).partition(" | ")[0].partition(" > ")[0]
                if re.match(r"(NEAT_DELTA_\w+=\S+ )?neat-delta |cd |mkdir ", line):
                    yield line


def shown(page):
    """What a page shows of the screen."""
    return re.findall(r"^```text\n(.*?)\n```", page.read_text("utf-8"), re.MULTILINE | re.DOTALL)


def run(stage, steps):
    failed = []
    for step in steps:
        if isinstance(step, tuple):
            stage.write(*step)
            continue
        done = stage.run(step)
        if done is not None and done.returncode not in (0, 1):
            failed.append((step, done.returncode, done.stderr or done.stdout[-300:]))
    stage.open.close()
    return failed


CASES = [(page, [step]) for page in PAGES if page.name in SINGLE for step in steps_of(page)]
CASES += [(page, list(steps_of(page))) for page in PAGES if page.name not in (*SINGLE, TUTORIAL, README)]


@pytest.mark.parametrize(("page", "steps"), [pytest.param(*case, id=case[0].stem) for case in CASES if case[1]])
def test_the_command_lines_of_the_docs_work(furnished, tmp_path, page, steps):
    lines = [step for step in steps if isinstance(step, str)]
    stage = Stage(furnished, tmp_path / "shop", lines)
    assert run(stage, steps) == []
    if page.name not in SINGLE:
        assert [block for block in shown(page) if block not in stage.said] == []


def test_the_command_lines_of_the_readme_work_in_the_folder_of_the_demo(tmp_path):
    data = str(tmp_path / "data")
    assert neat_delta("demo", "shop", cwd=tmp_path, NEAT_DELTA_DATA=data).returncode == 0
    failed = []
    for line in steps_of(ROOT / README):
        command, *words = shlex.split(line)
        if command == "mkdir":
            (tmp_path / "shop" / words[0]).mkdir()
            continue
        done = neat_delta(*words, cwd=tmp_path / "shop", NEAT_DELTA_DATA=data)
        failed += [(line, done.returncode, done.stderr)] if done.returncode not in (0, 1) else []
    assert failed == []

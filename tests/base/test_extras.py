"""The base install: what only some need is missing, is asked for by name, and nothing else needs it."""

import os

import pytest

from helpers import neat_delta

# Each module of an extra, and what stands before all imports of a process: it finds none of them.
MODULES = ("matplotlib", "sqlalchemy", "psycopg", "pymysql", "paramiko", "keyring", "s3fs", "webdav4", "distributed")
WITHOUT = f"import sys\nfor name in {MODULES!r}:\n    sys.modules[name] = None\n"


@pytest.fixture(scope="module")
def base(tmp_path_factory):
    """The installed program without any extra, and the demo's files, which it made."""
    folder = tmp_path_factory.mktemp("base")
    (folder / "site").mkdir()
    (folder / "site" / "sitecustomize.py").write_text(WITHOUT)

    def run(*words):
        path = os.pathsep.join(filter(None, [str(folder / "site"), os.environ.get("PYTHONPATH")]))
        return neat_delta(*words, cwd=folder, PYTHONPATH=path, NEAT_DELTA_DATA=str(folder / "data"))

    assert run("demo", "shop").returncode == 0
    return run


@pytest.mark.parametrize(
    ("words", "extra"),
    [
        (("preview", "shop/tuesday.changes.jsonl", "--live", "shop/live.csv", "--charts", "charts"), "charts"),
        (("inspect", "sqlite:///shop/items.db?table=items"), "sql"),
        (("write", "shop/tuesday.changes.jsonl", "--live", "shop/live.csv", "-o", "out", "--format", "sql"), "sql"),
        (("inspect", "sftp://anna@files.example/prices.csv"), "remote"),
        (("inspect", "s3://shop/prices.csv"), "s3"),
        (("compare", "shop/live.csv", "shop/edited.csv", "--cluster", "local"), "cluster"),
    ],
    ids=lambda value: value if isinstance(value, str) else value[-1],
)
def test_a_missing_extra_is_asked_for_with_the_line_that_installs_it(base, words, extra):
    done = base(*words)
    assert done.returncode == 2
    assert f'"neat-delta[{extra}]"' in done.stderr
    assert "Traceback" not in done.stderr


def test_the_page_needs_no_charts_and_says_that_they_are_left_out(base, tmp_path):
    page = tmp_path / "review.html"
    done = base("preview", "shop/tuesday.changes.jsonl", "--live", "shop/live.csv", "--page", str(page))
    assert "neat-delta[charts]" in done.stdout
    assert "figures-title" not in page.read_text("utf-8")

"""The whole way on Windows, as far as another system can play it (sitecustomize.py): the same files come of it."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from helpers import PROGRAM, examples, neat_delta

pytestmark = pytest.mark.skipif(not Path("/proc/self/fd").is_dir(), reason="the stand-in looks into /proc")
WAY = [
    ["inspect", "live.csv"],
    ["setup", "live.csv", "-o", "drafted.toml"],
    ["sheet", "live.csv", "-o", "sheet.xlsx", "--fields", "name,price"],
    ["compare", "live.csv", "sheet.xlsx", "--overwrite", "-o", "none.changes.jsonl"],
    ["compare", "live.csv", "edited.csv", "-o", "a.changes.jsonl", "--problems", "problems.xlsx"],
    ["compare", "live.csv", "edited.csv", "--write", "u", "--format", "xlsx", "--memory", "64MB"],
    ["compare", "live.csv", "edited.csv", "--write", "u", "--overwrite"],
    ["preview", "a.changes.jsonl", "--page", "review.html", "--review", "review.xlsx"],
    ["pick", "a.changes.jsonl", "--only", "price", "-o", "b.changes.jsonl"],
    ["combine", "a.changes.jsonl", "b.changes.jsonl", "-o", "c.changes.jsonl"],
    ["write", "b.changes.jsonl", "-o", "v", "--pack", "one-file"],
    ["write", "b.changes.jsonl", "-o", "v", "--overwrite"],
    ["undo", "b.changes.jsonl", "-o", "back"],
    ["shop", "open", "shop", "--from", "live.csv"],
    ["shop", "import", "shop", "v"],
    ["shop", "export", "shop", "-o", "after.csv"],
    ["verify", "b.changes.jsonl", "after.csv"],
    ["send", "v", "--to", "inbox"],
    ["history"],
    ["run", "night.toml"],
    ["run", "night.toml"],
    ["history", "--exports"],
    ["doctor"],
]
# Those that write nothing in a way of their own are walked in the long run only.
ONLY_LONG = ("inspect", "setup", "combine", "verify", "doctor")
WAY = [words for words in WAY if words[0] not in ONLY_LONG or examples(1) > 1]
NIGHT = 'live = "live.csv"\nedited = "edited.csv"\nto = "inbox"\nkeep_days = 1\n'


def on_windows(*words, cwd):
    path = os.pathsep.join(filter(None, [str(Path(__file__).parent), os.environ.get("PYTHONPATH")]))
    return neat_delta(*words, cwd=cwd, PYTHONPATH=path, PYTHONWARNDEFAULTENCODING="1", VIOLATIONS=str(cwd / "held"))


def walked(folder, program):
    folder.mkdir()
    assert program("demo", "shop", cwd=folder).returncode == 0
    shop = folder / "shop"
    (shop / "inbox").mkdir()
    (shop / "night.toml").write_text(NIGHT)
    ends = []
    for words in WAY:
        done = program(*words, cwd=shop)
        assert "internal" not in done.stderr and "Traceback" not in done.stderr, (words, done.stderr)
        ends.append((words, done.returncode, done.stderr))
    made = {path.relative_to(shop).as_posix(): path for path in shop.rglob("*.csv")}
    return ends, {name: path.read_bytes() for name, path in made.items() if not name.startswith("runs/")}


def test_the_whole_way_on_windows_makes_the_same_files(tmp_path):
    ends, files = walked(tmp_path / "here", neat_delta)
    theirs, same = walked(tmp_path / "there", on_windows)
    assert theirs == ends
    assert same == files
    assert [path.read_text() for path in (tmp_path / "there").rglob("held")] == []


def test_the_stand_in_is_one(tmp_path):
    """What it is for: without this, nothing would be seen."""
    code = "import neat_delta.windows_probe as probe; probe.look()"
    package = tmp_path / "neat_delta"
    package.mkdir()
    (package / "__init__.py").write_text("")
    (package / "windows_probe.py").write_text(
        "import os, sys\n"
        "def look():\n"
        "    print(os.name, sys.platform, hasattr(os, 'fchmod'))\n"
        "    try:\n        import fcntl\n    except ImportError:\n        print('no fcntl')\n"
        "    with open('x', 'wb'):\n"
        "        try:\n            os.rename('x', 'y')\n        except PermissionError as error:\n"
        "            print(error.winerror)\n"
    )
    env = os.environ | {"PYTHONPATH": f"{Path(__file__).parent}{os.pathsep}{tmp_path}"}
    done = subprocess.run(
        [sys.executable, "-c", code], cwd=tmp_path, env=env, capture_output=True, text=True, check=True
    )
    assert done.stdout.split() == ["nt", "win32", "False", "no", "fcntl", "32"]
    assert PROGRAM.exists()

"""Times looking at a change set of some 50,000 items against a live export of a million, and the page made of it.

    python benchmarks/preview.py [--items 1000000] [--share 0.05] [--runs 3]

The page's own times are those of a headless Chromium, if there is one on the PATH.
"""

from __future__ import annotations

import argparse
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from importlib import import_module
from pathlib import Path

from compare import HERE, PROGRAM

from neat_delta.analysis.before_after import BeforeAfter
from neat_delta.changeset.serialization import load_changes
from neat_delta.reading import read_table
from neat_delta.tables.settings import Settings
from neat_delta.views.page import PageName, review_page_of

PAINT = "performance.getEntriesByName('first-contentful-paint')[0].startTime"
# From the letter that is typed to the list that is drawn.
LETTER = """(text) => { const begun = performance.now(); document.getElementById('search').value = text; choose();
document.getElementById('list').getBoundingClientRect(); return performance.now() - begun; }"""


def timed(call: object) -> float:
    """Seconds that a call takes."""
    begun = time.perf_counter()
    call()  # type: ignore[operator]
    return time.perf_counter() - begun


def main() -> None:
    """Make the files, take the times, print them."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("--items", type=int, default=1_000_000)
    told.add_argument("--share", default="0.05")
    told.add_argument("--runs", type=int, default=3)
    args = told.parse_args()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        subprocess.run([sys.executable, str(HERE / "make_pair.py"), str(args.items), args.share, name], check=True)
        kept, page = folder / "c.changes.jsonl", folder / "page.html"
        files = [str(folder / "live.csv"), str(folder / "edited.csv")]
        subprocess.run([*PROGRAM, "compare", *files, "--out", str(kept), "--quiet"], check=False)
        look = [*PROGRAM, "preview", str(kept)]
        shown = [timed(lambda: subprocess.run(look, check=False, capture_output=True)) for _ in range(args.runs)]
        loaded = [timed(lambda: load_changes(kept)) for _ in range(args.runs)]
        # The command loads these while it reads the files.
        for package in ("matplotlib.figure", "matplotlib.backends.backend_svg", "jinja2"):
            import_module(package)
        both = BeforeAfter(load_changes(kept), read_table(folder / "live.csv"))
        written = timed(lambda: page.write_bytes(review_page_of(both, Settings(), PageName(kept.name, "", ""))))
        print(f"preview, the whole command: {statistics.median(shown):.2f} s")
        print(f"reading the change set: {statistics.median(loaded):.2f} s")
        print(f"writing the page, packages loaded meanwhile: {written:.2f} s, {page.stat().st_size / 1e6:.1f} MB")
        if chromium := shutil.which("chromium"):
            from playwright.sync_api import sync_playwright

            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
                tab = browser.new_page(viewport={"width": 1280, "height": 800})
                tab.goto(page.as_uri())
                tab.wait_for_selector("body[data-ready]", timeout=60_000)
                print(f"first paint of the page: {tab.evaluate(PAINT) / 1000:.2f} s")
                print(f"the list drawn: {tab.evaluate('performance.now()') / 1000:.2f} s")
                letters = [tab.evaluate(LETTER, "hive tool"[:length]) for length in range(1, 10)]
                print(f"search, a letter: {', '.join(f'{letter:.0f}' for letter in letters)} ms")


if __name__ == "__main__":
    main()

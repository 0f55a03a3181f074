"""Makes the pictures of docs/screenshots anew: what each main command prints on the demo shop's files.

Run from the root of the project, installed, with Chromium on the PATH: python scripts/make_screenshots.py
The commands are run for real, with colours; their output is set as a page and photographed.
"""

from __future__ import annotations

import html
import io
import os
import re
import shlex
import shutil
import subprocess
import sys
import tempfile
import threading
from pathlib import Path

from playwright.sync_api import sync_playwright
from rich.console import Console
from rich.terminal_theme import TerminalTheme
from rich.text import Text

from neat_delta.practice_shop import open_shop
from neat_delta.practice_shop.server import ShopServer

PICTURES = Path(__file__).parent.parent / "docs" / "screenshots"
COLUMNS = 110
LINES = 39
PAPER = TerminalTheme(
    (251, 250, 247),
    (34, 38, 43),
    [(90, 90, 90)] * 8,  # the basic colours, of which the program uses none
    [(125, 125, 125)] * 8,  # the bright ones, of which it uses grey
)  # fmt: skip
PAGE = """<!doctype html><meta charset="utf-8"><style>
body {{ margin: 0; background: #fbfaf7; color: #22262b; }}
pre {{ margin: 18px 22px; font: 17px/19.6px "DejaVu Sans Mono", monospace; }}
</style><pre>{}</pre>"""
SHEET_FIELDS = "name,price,stock_main,colour,tax_class"
# Name of the picture, the command, the part of its output: lines from here, counted from 0.
SHOTS = [
    ("inspect", "neat-delta inspect live.csv", 0),
    ("sheet", f"neat-delta sheet live.csv -o work.xlsx --fields {SHEET_FIELDS} --where \"maker = 'Quenby Tools'\"", 0),
    ("compare", "neat-delta compare live.csv edited.csv", 0),
    (
        "supplier",
        'neat-delta compare live.csv pellimoor.csv --map "Our no.=supplier_code" --match-on supplier_code '
        '--map "Dealer net=cost" --set "price = ending(file.cost * 1.95, .95)"',
        0,
    ),
    (
        "adjust",
        'neat-delta adjust live.csv --set "price = price * 1.05" --where "maker = \'Thrumhive\'" --ending .95',
        0,
    ),
    ("recode", "neat-delta recode live.csv codes.csv --write updates-codes", 0),
    ("problems", "neat-delta compare live.csv edited.csv", -30),
    (
        "combine",
        "neat-delta combine supplier.changes.jsonl raise.changes.jsonl -o both.changes.jsonl",
        0,
    ),
    ("write", "neat-delta write tuesday.changes.jsonl -o updates", 0),
    ("preview", "neat-delta preview supplier.changes.jsonl --money --quotes quotes.csv --limit 8", 0),
    (
        "pick",
        "neat-delta pick supplier.changes.jsonl --only price --where \"category = 'Queen rearing'\" "
        '--out queens.changes.jsonl --by Anna --note "prices agreed with the supplier"',
        0,
    ),
    ("refresh", "neat-delta refresh tuesday.changes.jsonl noon.csv --out noon.changes.jsonl", 0),
    ("verify", "neat-delta verify tuesday.changes.jsonl strict.csv --limit 8", 0),
]
# What must have happened in the shop before a picture of these is taken.
BEFORE = {
    "combine": [
        'neat-delta adjust live.csv --set "price = price * 1.1" --where "category = \'Queen rearing\'" '
        "-o raise.changes.jsonl",
    ],
    "refresh": [
        "neat-delta shop open noon --from live.csv",
        "neat-delta shop sell noon --orders 400 --seed 3",
        "neat-delta shop export noon -o noon.csv",
    ],
    "verify": [
        "neat-delta shop open strict --from live.csv",
        "neat-delta shop import strict updates/01-changes.csv",
        "neat-delta shop export strict -o strict.csv",
    ],
}
# The settings of the shop in which an update is verified.
STRICT = 'key = "sku"\ndecimals = {price = 1}\n'
# A page for the browser, its top and its list in which some changes are decided; a picture for a meeting.
PAGE_SHOTS = {"page": "", "page-items": "jjajraajc"}
SECRET = "a secret only for these pictures"
PEOPLE = {"NEAT_DELTA_USER": "Bo", "NEAT_DELTA_APPROVAL_SECRET": SECRET}
PLOT = "price-changes.png"


def main() -> None:
    """Copy the demo shop, run the commands, take the pictures."""
    chromium = shutil.which("chromium") or shutil.which("chromium-browser")
    if chromium is None:
        raise SystemExit("this needs Chromium on the PATH")
    PICTURES.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as name:
        shop = Path(name)
        os.environ["NEAT_DELTA_DATA"] = str(shop / "data")
        _run("neat-delta demo shop --full", shop)
        shutil.rmtree(shop / "shop" / "updates")
        for picture, command, start in SHOTS:
            for step in BEFORE.get(picture, []):
                _run(step, shop / "shop")
                if "shop open strict" in step:
                    (shop / "shop" / "strict" / "shop.toml").write_text(STRICT, "utf-8")
            # A long command goes on below, from an option on.
            typed = [command] if len(command) < COLUMNS else re.split(r" (?=--)", command)
            typed = [f"{'    ' if at else '$ '}{part}" + " \\" * (at < len(typed) - 1) for at, part in enumerate(typed)]
            lines = [*typed, "", *_run(command, shop / "shop").splitlines()]
            _show(chromium, picture, lines[start:] if start < 0 else lines[start : start + LINES], shop)
        _page_and_plot(chromium, shop / "shop")
        _runs(chromium, shop / "shop")


def _show(chromium: str, picture: str, lines: list[str], folder: Path) -> None:
    page = folder / f"{picture}.html"
    page.write_text(PAGE.format(_as_html("\n".join(lines))), "utf-8")
    _photograph(chromium, page, PICTURES / f"{picture}.png", height=min(800, 45 + 20 * len(lines)))
    print(PICTURES / f"{picture}.png")


def _runs(chromium: str, shop: Path) -> None:
    """Run without a person into two shops: one that takes all as it is, and one that rounds, for the summary's page."""
    nightly = (shop / "nightly.toml").read_text("utf-8")
    for ways in ("", STRICT):
        _run(f"neat-delta shop open night{len(ways)} --from live.csv", shop)
        if ways:
            (shop / f"night{len(ways)}" / "shop.toml").write_text(ways, "utf-8")
        with ShopServer(open_shop(shop / f"night{len(ways)}"), port=0) as server:
            threading.Thread(target=server.serve_forever, daemon=True).start()
            text = re.sub(r"127\.0\.0\.1:\d+", f"127.0.0.1:{server.server_port}", nightly)
            (shop / "nightly.toml").write_text(text, "utf-8")
            lines = ["$ neat-delta run nightly.toml", "", *_run("neat-delta run nightly.toml", shop).splitlines()]
            server.shutdown()
        if not ways:
            _show(chromium, "run", lines[:LINES], shop)
    page = shop / "runs" / "nightly-latest" / "summary.html"
    shown = shop / "run-summary.html"
    shown.write_text(page.read_text("utf-8").replace(str(shop.resolve()), "/srv/shop"), "utf-8")
    _photograph(chromium, shown, PICTURES / "run-summary.png", height=800)


def _page_and_plot(chromium: str, shop: Path) -> None:
    """Photograph the review page at its top and at its list, and keep one of the drawings."""
    _run("neat-delta preview supplier.changes.jsonl --page review.html --charts pictures", shop)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
        for name, keys in PAGE_SHOTS.items():
            tab = browser.new_page(viewport={"width": 1280, "height": 800})
            tab.goto((shop / "review.html").as_uri())
            tab.wait_for_selector("body[data-ready]")
            if keys:
                tab.locator("#list").focus()
                for key in keys:
                    tab.keyboard.press(key)
                tab.fill("#comment-text", "ask the supplier")
                tab.click("#comment button[value=save]")
                tab.evaluate("document.getElementById('list-title').scrollIntoView()")
            tab.screenshot(path=PICTURES / f"{name}.png")
        browser.close()
    shutil.copyfile(shop / "pictures" / PLOT, PICTURES / PLOT)


def _run(command: str, folder: Path) -> str:
    program, *args = shlex.split(command)
    assert program == "neat-delta"
    screen = {"FORCE_COLOR": "1", "TERM": "xterm-256color", "COLORTERM": "truecolor", "COLUMNS": str(COLUMNS)}
    command_line = [sys.executable, "-m", "neat_delta", *args]
    done = subprocess.run(
        command_line,
        cwd=folder,
        env=os.environ | {"NEAT_DELTA_DATA": str(folder)} | screen | PEOPLE,
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode not in (0, 1):
        raise SystemExit(done.stderr)
    return done.stdout


def _as_html(ansi: str) -> str:
    console = Console(file=io.StringIO(), record=True, width=200, force_terminal=True, color_system="truecolor")
    for line in ansi.split("\n"):
        console.print(Text.from_ansi(line), soft_wrap=True)
    return console.export_html(theme=PAPER, inline_styles=True, code_format="{code}") or html.escape(ansi)


def _photograph(chromium: str, page: Path, picture: Path, height: int) -> None:
    profile = page.with_suffix(".profile")
    flags = ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--hide-scrollbars"]
    flags += ["--disable-background-networking", "--disable-component-update", "--disable-sync"]
    flags += [f"--user-data-dir={profile}", f"--window-size=1280,{height}", f"--screenshot={picture}"]
    subprocess.run([chromium, *flags, page.as_uri()], capture_output=True, check=True, timeout=120)


if __name__ == "__main__":
    main()

"""Makes the table of checks in docs/checks.md anew, from the checks themselves.

Run from the root of the project: python scripts/make_checks_page.py
"""

from __future__ import annotations

from pathlib import Path

from neat_delta.checks import CHECKS
from neat_delta.views.overrides import override_option

PAGE = Path(__file__).parent.parent / "docs" / "checks.md"
START, END = "<!-- checks: made from the code -->\n", "<!-- end of checks -->\n"


def table() -> str:
    """A row for each check: name, level, what it looks for, what opens it."""
    rows = ["| check | level | looks for | opened for a run by |", "|---|---|---|---|"]
    for check in CHECKS:
        option = override_option(check.name, check.override)
        opened = f"`{option}`" if option else "–"
        rows.append(f"| {check.name} | {check.level} | {check.about} | {opened} |")
    return "\n".join(rows) + "\n"


def page(text: str) -> str:
    """The page with its table made anew."""
    before, _, rest = text.partition(START)
    _, _, after = rest.partition(END)
    return f"{before}{START}\n{table()}\n{END}{after}"


if __name__ == "__main__":
    PAGE.write_text(page(PAGE.read_text("utf-8")), "utf-8")

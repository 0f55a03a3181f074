"""A folder of work in which commands are tried."""

import pytest

from helpers import neat_delta, write_table


@pytest.fixture
def work(tmp_path):
    """A live export, an edited sheet, a kept change set of the two, and files that are somebody's work."""
    write_table(tmp_path / "live.csv", [["sku", "price", "cost", "category"], ["A", "1.00", "0.50", "x"]])
    write_table(tmp_path / "edited.csv", [["sku", "price", "cost", "category"], ["A", "1.10", "0.50", "x"]])
    neat_delta("compare", "live.csv", "edited.csv", "--out", "c.jsonl", cwd=tmp_path)
    neat_delta("shop", "open", "shop", "--from", "live.csv", cwd=tmp_path)
    neat_delta("write", "c.jsonl", "-o", "up", cwd=tmp_path)
    for name in ("mine.xlsx", "mine.html", "mine.csv"):
        (tmp_path / name).write_text("hours of work")
    (tmp_path / "inbox").mkdir()
    (tmp_path / "pictures").mkdir()
    (tmp_path / "pictures" / "margins.png").write_text("hours of work")
    return tmp_path

import json
import re
from pathlib import Path

from helpers import neat_delta, write_table
from neat_delta.checks import CHECKS
from neat_delta.tables.settings import FieldSettings, ImportConfig, Settings
from neat_delta.views.overrides import override_option

DOCS = Path(__file__).parent.parent.parent / "docs"


def test_the_page_of_checks_lists_every_check_as_it_is():
    text = (DOCS / "checks.md").read_text("utf-8")
    rows = re.findall(r"^\| ([^|]+) \| ([^|]+) \| (.+?) \| (?:`(.+)`|–) \|$", text, re.MULTILINE)

    assert rows == [
        (check.name, check.level, check.about, override_option(check.name, check.override)) for check in CHECKS
    ]


def test_every_check_has_a_name_of_its_own():
    assert len({check.name for check in CHECKS}) == len(CHECKS)


def cells(seen):
    return {(key, field) for key, field in seen.changes.cells.select("key", "field").iter_rows()}


def test_a_value_that_only_fits_beside_one_that_is_held_is_held_too(tried):
    """What is checked is what will be sent, not what was typed."""

    def before(rows):
        rows[3] |= {"price": "10.00", "sale_price": "9.00", "cost": "6.00"}

    def edit(rows):
        rows[3] |= {"price": "1000.00", "sale_price": "12.00"}

    seen = tried(edit, before=before)

    assert cells(seen) == set()
    assert {("decimal slip", "price"), ("sale price too high", "sale_price")} <= set(
        seen.changes.findings.select("code", "field").iter_rows()
    )


def test_a_cost_beside_a_price_that_cannot_be_emptied_is_held(tried):
    def before(rows):
        rows[3] |= {"price": "10.00", "sale_price": "", "cost": "6.00"}

    def edit(rows):
        rows[3] |= {"price": "", "cost": "12.00"}

    settled = Settings(imports=ImportConfig(blank="leaves"))
    assert cells(tried(edit, settled, before=before, clear_blanks=True)) == set()


def test_an_item_stays_as_long_as_one_that_is_held_links_to_it(tried):
    """K1, the topmost, is held: so is each item below it, to the last."""
    chain = {"K-0001": "K-0002", "K-0002": "K-0003", "K-0003": "K-0004"}

    def before(rows):
        for row in rows:
            row["parent"] = chain.get(row["sku"], "")

    def edit(rows):
        rows[1]["price"] = "1e"
        return [row for row in rows if row["sku"] not in ("K-0002", "K-0003", "K-0004")]

    settled = Settings(fields={"parent": FieldSettings(type="item link")})
    held = tried(edit, settled, before=before, delete_at_most=9)
    assert held.changes.keys_with_action("remove").is_empty()

    def freed(rows):
        return edit([*rows[:1], rows[1] | {"parent": ""}, *rows[2:]])

    # The row's link is gone, so that the three may go.
    away = tried(freed, settled, before=before, delete_at_most=9, clear_blanks=True)
    assert len(away.changes.keys_with_action("remove")) == 3


def test_a_link_to_an_item_that_is_held_or_goes_is_said(tried):
    def before(rows):
        for row in rows:
            row["parent"] = ""

    def edit(rows):
        rows[5]["parent"] = "NEW-1"
        rows[6]["parent"] = "K-0007"
        del rows[7]
        return [*rows, rows[1] | {"sku": "NEW-1", "gtin": "", "price": "0"}]

    settled = Settings(fields={"parent": FieldSettings(type="item link")})
    seen = tried(edit, settled, before=before, add_new=True, delete_at_most=9)
    links = seen.changes.findings.filter(code="broken link")
    assert seen.changes.keys_with_action("add").is_empty()
    assert links["key"].to_list() == ["K-0006", "K-0005"]


def test_one_answer_is_for_one_field_and_one_check(tmp_path):
    live = [["sku", "name", "price", "cost"], *([f"K{at}", f"Jar {at}", "20.00", "8.00"] for at in range(12))]
    edited = [list(row) for row in live]
    edited[3][2], edited[4][3] = "6.00", "25.00"
    for name, table in (("live.csv", live), ("edited.csv", edited)):
        write_table(tmp_path / name, table)

    def sent(*words):
        done = neat_delta("compare", "live.csv", "edited.csv", *words, "--json", "--base", "none", cwd=tmp_path)
        result = json.loads(done.stdout)["result"]
        return done.returncode, result and result["cells"]

    assert sent() == (1, 0)
    assert sent("--allow", "price=below cost") == (1, 1)
    assert sent("--allow", "price=below cost", "--allow", "cost=below cost") == (0, 2)
    said = '[[checks.allow]]\nfield = "price"\ncheck = "{}"\nby = "Ada"\nwhy = "sold off"\n'
    (tmp_path / "catalogue.toml").write_text(said.format("below cost"))
    assert sent() == (1, 1)
    (tmp_path / "catalogue.toml").write_text(said.format("below costs"))
    assert sent() == (2, None)
    (tmp_path / "catalogue.toml").unlink()
    assert [sent("--allow", words)[0] for words in ("prize=below cost", "price=below costs", "below cost")] == [2, 2, 2]
    saved = ("--allow", "price=below cost", "-o", "c.jsonl")
    neat_delta("compare", "live.csv", "edited.csv", *saved, "--base", "none", cwd=tmp_path)
    written = neat_delta("write", "c.jsonl", "-o", "up", cwd=tmp_path)
    assert (written.returncode, "6.00" in (tmp_path / "up" / "01-changes.csv").read_text()) == (1, True), written.stdout
    (tmp_path / "mine.csv").write_text("sku,cost\nK3,25.00\n")
    mine = ("compare", "live.csv", "mine.csv", "--allow", "cost=below cost", "-o", "d.jsonl", "--base", "none")
    neat_delta(*mine, cwd=tmp_path)
    neat_delta("combine", "c.jsonl", "d.jsonl", "--live", "live.csv", "-o", "both.jsonl", cwd=tmp_path)
    both = json.loads((tmp_path / "both.jsonl").read_text().splitlines()[0])["overrides"]
    assert both == {"allow": ["price=below cost", "cost=below cost"]}

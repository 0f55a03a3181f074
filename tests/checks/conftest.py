from dataclasses import replace
from decimal import Decimal

import pytest

from helpers import write_table
from neat_delta.changeset.head import Overrides
from neat_delta.checks import run_checks
from neat_delta.diff.compare import CompareOptions, compare, with_findings
from neat_delta.reading import read_pair
from neat_delta.tables.settings import Settings

NAMES = ["sku", "name", "maker", "category", "price", "cost", "sale_price", "stock", "bin", "active", "gtin", "picture"]
GTINS = ["9520000000004", "9520000000011", "9520000000028", "9520000000035", "9520000000042"]


def shop(items: int = 40) -> list[dict[str, str]]:
    """Rows of a shop in which no two items are alike."""
    rows = []
    for at in range(items):
        cost = Decimal(3 + (at * 7919) % 97) + Decimal("0.40")
        rows.append(
            {
                "sku": f"K-{at:04}",
                "name": f"{['Hive', 'Veil', 'Smoker', 'Jar'][at % 4]} of pattern {at * 31 % 101} in brass",
                "maker": "Thrumhive" if at % 2 else "Combwick",
                "category": f"Hives/{['Bodies', 'Supers', 'Floors'][at % 3]}",
                "price": f"{cost * 2:.2f}",
                "cost": f"{cost:.2f}",
                "sale_price": "" if at % 5 else f"{cost * 2 * 4 / 5:.2f}",
                "stock": str(at * 13 % 40),
                "bin": f"A{at % 7}-{at}",
                "active": str(int(at % 3 > 0)),
                "gtin": GTINS[at] if at < len(GTINS) else "",
                "picture": f"{at:04}-brass.jpg",
            }
        )
    return rows


@pytest.fixture
def shop_rows():
    """The rows of the live shop, anew."""
    return shop


@pytest.fixture
def tried(tmp_path):
    """The live shop against one that a function has edited, after all checks."""

    def run(edit, settled=None, allowed=None, before=lambda rows: None, items=40, images=None, **options):
        live, edited = shop(items), shop(items)
        for rows in (live, edited):
            before(rows)
        edited = edit(edited) or edited
        settled = settled or Settings()
        names = list(dict.fromkeys([*NAMES, *live[0]]))
        tables = [[names, *([row.get(name, "") for name in names] for row in rows)] for rows in (live, edited)]
        a, b = (write_table(tmp_path / f"{at}.csv", table) for at, table in enumerate(tables))
        ours, theirs = read_pair(a, b)
        seen = compare(ours, theirs, replace(CompareOptions(**options), settings=settled))
        return with_findings(seen, run_checks(seen.changes, ours, settled, allowed or Overrides(), images))

    return run


@pytest.fixture
def found(tried):
    """The checks that find something of level stop or warn in an edit, each once."""

    def run(edit, **told):
        seen = tried(edit, **told)
        return sorted(set(seen.changes.findings.filter(seen.changes.findings["level"] != "note")["code"]))

    return run

"""A catalogue in PostgreSQL: reading its table and sending changed rows, beside plain scripts, in one run.

    python benchmarks/database.py [--items 1000000] [--rows 20000] [--runs 3]

Puts a live export of make_pair.py into a server of its own on loopback (Debian's package postgresql). Prints the
medians of seconds on the clock: COPY to memory by the driver alone; the same by us; the whole table with its records
found; and so many changed rows sent, by a batched UPDATE in one transaction without any look at old values, and by us.
"""

from __future__ import annotations

import argparse
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl
import psycopg

HERE = Path(__file__).parent
sys.path[:0] = [str(HERE.parent / "tests"), str(HERE.parent / "src")]

from database_servers import PASSWORD, PASSWORD_VARIABLE, postgresql  # noqa: E402
from neat_delta.database.connection import connected  # noqa: E402
from neat_delta.database.reading import read_database  # noqa: E402
from neat_delta.database.row_updates import RowUpdate, run_updates  # noqa: E402
from neat_delta.locations import parse_location  # noqa: E402
from neat_delta.reading import read_table  # noqa: E402

if TYPE_CHECKING:
    from collections.abc import Callable

NUMBERS = ("price", "cost", "weight")


def fill(address: str, export: Path) -> None:
    """A table with the export's columns; prices and the like are numeric, stock is an integer."""
    header = pl.read_csv(export, n_rows=1).columns
    kinds = {name: "numeric(12,4)" for name in header if name in NUMBERS} | {"stock": "integer"}
    columns = ", ".join(f'"{name}" {kinds.get(name, "text")}' for name in header)
    with psycopg.connect(address, password=PASSWORD) as base, base.cursor() as cursor:
        cursor.execute(f"CREATE TABLE items ({columns}, PRIMARY KEY (sku))")
        with cursor.copy("COPY items FROM STDIN WITH (FORMAT csv, HEADER)") as rows, export.open("rb") as file:
            while piece := file.read(1 << 20):
                rows.write(piece)
        cursor.execute("ANALYZE items")


def plain_copy(address: str) -> int:
    """COPY by the driver into memory."""
    wanted = "COPY (SELECT * FROM items ORDER BY sku) TO STDOUT WITH (FORMAT csv, HEADER)"
    with psycopg.connect(address, password=PASSWORD) as base, base.cursor() as cursor, cursor.copy(wanted) as rows:
        return len(b"".join(rows))


def plain_update(address: str, rows: list[tuple[str, str]]) -> None:
    """A batched UPDATE in one transaction."""
    with psycopg.connect(address, password=PASSWORD) as base, base.cursor() as cursor:
        cursor.executemany("UPDATE items SET price = %s WHERE sku = %s", rows)


def our_update(address: str, updates: list[RowUpdate]) -> None:
    """The same, each row locked and compared with its old values."""
    place = parse_location(address)
    with connected(place, write=True) as connection:
        done = run_updates(connection, place, ["sku"], updates, lambda _: None)
    assert {result for result, _ in done} == {"updated"}, done[:3]


def seconds(work: Callable[[], object], runs: int) -> float:
    """The median of the runs."""
    found = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return statistics.median(found)


def main() -> None:
    """Fill the table, race, print ratios."""
    told = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    told.add_argument("--items", type=int, default=1_000_000)
    told.add_argument("--rows", type=int, default=20_000)
    told.add_argument("--runs", type=int, default=3)
    args = told.parse_args()
    os.environ[PASSWORD_VARIABLE] = PASSWORD
    with tempfile.TemporaryDirectory() as folder, postgresql() as server:
        subprocess.run([sys.executable, HERE / "make_pair.py", str(args.items), "0.02", folder], check=True)
        fill(server, Path(folder) / "live.csv")
        address = f"{server}?table=items"
        plain_copy(server)  # (warms the server's cache)
        plain = seconds(lambda: plain_copy(server), args.runs)
        print(f"COPY by the driver      {plain:6.2f} s")
        for name, work in (
            ("COPY by us", lambda: read_database(parse_location(address))),  # type: ignore[arg-type]
            ("the whole table", lambda: read_table(parse_location(address))),
        ):
            own = seconds(work, args.runs)
            print(f"{name:<22}  {own:6.2f} s   {own / plain:.2f}")
        some = read_table(parse_location(f"{server}?query=select sku, price from items limit {args.rows}"))
        rows = list(some.cells(["sku", "price"]).iter_rows())
        base = seconds(lambda: plain_update(server, [(price, sku) for sku, price in rows]), args.runs)
        print(f"a batched UPDATE        {base:6.2f} s")
        updates = [RowUpdate("change", (sku,), {"price": price}, {"price": price}) for sku, price in rows]
        own = seconds(lambda: our_update(address, updates), args.runs)
        print(f"guarded by us           {own:6.2f} s   {own / base:.2f}")


if __name__ == "__main__":
    main()

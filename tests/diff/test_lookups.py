"""Values from other tables in formulas: costs by the SKU, by a barcode, from a database; what is not found is named."""

import sqlite3

import pytest

from helpers import neat_delta, write_table

LIVE = [["sku", "gtin", "price", "cost"], ["KT-1", "9521", "10.00", "5.00"], ["KT-2", "9522", "20.00", "9.00"],
        ["KT-3", "9523", "30.00", "7.00"], ["KT-4", "", "40.00", "8.00"]]  # fmt: skip


@pytest.fixture
def work(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    return tmp_path


def adjusted(work, formula, *more):
    done = neat_delta(
        "adjust", "live.csv", "--set", formula, *more, "--write", "up", "--ignore", "large change", cwd=work
    )
    rows = {}
    for path in sorted((work / "up").glob("0*.csv")):
        header, *lines = [line.split(",") for line in path.read_text().splitlines()]
        rows |= {line[0]: dict(zip(header[1:], line[1:], strict=True)) for line in lines}
    return rows, " ".join((done.stdout + done.stderr).split())


def test_by_the_sku_and_what_has_no_row_is_named_with_its_sku(work):
    costs = [["Net", "SKU"], ["6,25", "KT-1"], ["10,00", "KT-2"], ["7,00", "KT-3"], ["7,50", "KT-3"], ["1,00", "x"]]
    write_table(work / "costs.csv", costs, delimiter=";")
    rows, shown = adjusted(work, "price = costs.net * 2", "--table", "costs=costs.csv")
    assert rows == {"KT-1": {"price": "12.50"}}
    assert "costs has no row for KT-4" in shown
    assert "costs has several rows for KT-3 that differ" in shown


def test_by_the_column_whose_values_are_those_of_another_field(work):
    write_table(work / "costs.csv", [["EAN", "net"], ["9522", "11"], ["9523", "12"]])
    rows, _ = adjusted(work, "cost = c.net", "--table", "c=costs.csv")
    assert rows == {"KT-2": {"cost": "11.00"}, "KT-3": {"cost": "12.00"}}
    rows, _ = adjusted(
        work, "cost = c.net + 1", "--table", "c=costs.csv", "--table-column", "c=EAN=gtin", "--overwrite"
    )
    assert rows == {"KT-2": {"cost": "12.00"}, "KT-3": {"cost": "13.00"}}


def test_from_a_database_and_from_the_settings(work):
    base = sqlite3.connect(work / "erp.db")
    base.execute("CREATE TABLE costs (item TEXT, net REAL)")
    base.executemany("INSERT INTO costs VALUES (?, ?)", [("KT-1", 6.5), ("KT-2", 9.25)])
    base.commit()
    base.close()
    (work / "catalogue.toml").write_text('[tables.erp]\nfile = "sqlite:///erp.db?table=costs"\ncolumn = "item"\n')
    rows, _ = adjusted(work, "cost = erp.net")
    assert rows == {"KT-1": {"cost": "6.50"}, "KT-2": {"cost": "9.25"}}


def test_beside_an_edited_file(work):
    write_table(work / "rates.csv", [["sku", "factor"], ["KT-1", "3"], ["KT-2", "2"]])
    write_table(work / "supplier.csv", [["sku", "net"], ["KT-1", "4.00"], ["KT-2", "8.00"]])
    done = neat_delta(
        "compare", "live.csv", "supplier.csv", "--set", "price = file.net * f.factor", "--table", "f=rates.csv",
        "--ignore", "large change", "--write", "up", cwd=work,
    )  # fmt: skip
    assert (work / "up" / "01-changes.csv").read_text() == "sku,price\nKT-1,12.00\nKT-2,16.00\n", done.stdout


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (["--table", "c=costs.csv", "--set", "price = c.nett"], "c has no column nett. Did you mean net?"),
        (["--table", "c=nothing.csv", "--set", "price = c.net"], "nothing.csv: file not found"),
        (["--table", "c=costs.csv", "--set", "price = d.net"], "there is no table d"),
        (["--table", "live=costs.csv", "--set", "price = 1"], "a meaning of its own"),
        (["--table", "c=strange.csv", "--set", "price = c.net"], "--table-column c=COLUMN"),
        (["--table", "c=costs.csv", "--table-column", "c=nope", "--set", "price = c.net"], "no such column"),
        (["--table-column", "x=nope", "--set", "price = 1"], "there is no such table"),
        (["--table", "c=short.csv", "--set", "price = c.net"], "short.csv, line 2: cannot read this row"),
    ],
)
def test_what_is_wrong_is_named(work, options, said):
    write_table(work / "costs.csv", [["sku", "net"], ["KT-1", "4.00"]])
    write_table(work / "strange.csv", [["who", "net"], ["nobody", "4.00"], ["you", "5.00"]])
    (work / "short.csv").write_text("sku,net,x\nKT-1,4\nKT-2,5,6\n")
    done = neat_delta("adjust", "live.csv", *options, cwd=work)
    assert done.returncode in (2, 3)
    assert said in done.stderr

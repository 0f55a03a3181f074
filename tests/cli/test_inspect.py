import json

import pytest

from helpers import neat_delta, widest, write_table

TABLE = [
    ["sku", "location", "name", "price", "stock"],
    *([f"{at // 2:06}", "barn" if at % 2 else "main", f"Item {at % 7}", f"{at}.50", str(at)] for at in range(40)),
]


@pytest.fixture
def shop(tmp_path):
    write_table(tmp_path / "live.csv", TABLE, delimiter=";")
    write_table(tmp_path / "bad.csv", [*TABLE, ["x"], ["999999", "main", "", "ask", "1"]])
    return tmp_path


def test_a_file_is_told_by_form_rows_columns_and_keys(shop):
    seen = neat_delta("inspect", "live.csv", cwd=shop)

    assert seen.returncode == 0
    lines = seen.stdout.splitlines()
    assert lines[0].split("   ")[-2:] == ["40 rows × 5 columns", "ASCII · semicolon · decimal point"]
    assert "two together: sku + location" in seen.stdout or "price or stock" in seen.stdout
    assert any(line.split() == ["000000", "main", "Item", "0", "0.50", "0"] for line in lines)
    assert any(line.split()[:4] == ["price", "price", "all", "40"] and "0.50 to 39.50" in line for line in lines)
    assert any(line.split()[:2] == ["location", "text"] and "barn (20) · main (20)" in line for line in lines)


def test_unreadable_rows_and_damage_are_named(shop):
    seen = neat_delta("inspect", "bad.csv", cwd=shop)

    assert seen.returncode == 1
    assert "line 42  too few cells: 1, but the header has 5" in seen.stdout
    assert "not a number, unlike nearly all other values" in seen.stdout
    assert "98 %" in next(line for line in seen.stdout.splitlines() if line.split()[:2] == ["name", "text"])


def test_json_tells_the_same(shop):
    told = json.loads(neat_delta("inspect", "bad.csv", "--json", cwd=shop).stdout)["result"]

    assert (told["rows"], told["format"]["delimiter"], told["unreadable"][0]["line"]) == (42, ",", 42)
    stock = told["columns"][4]
    assert (stock["type"], stock["filled"], stock["smallest"], stock["largest"]) == ("quantity", 41, "0", "39")
    assert told["key"]["expected"] == "sku"
    assert told["key"]["repeated"][0] == ["000000", [2, 3]]


@pytest.mark.parametrize("width", [40, 60, 80, 200])
def test_the_view_fits_the_screen(shop, width):
    seen = neat_delta("inspect", "bad.csv", cwd=shop, COLUMNS=str(width))

    assert widest(seen.stdout) <= width


def test_a_file_has_as_many_rows_here_as_in_a_comparison(shop):
    here = json.loads(neat_delta("inspect", "bad.csv", "--json", cwd=shop).stdout)["result"]["rows"]
    compared = neat_delta("compare", "live.csv", "bad.csv", "--key", "sku", "--key", "location", cwd=shop).stdout

    assert here == 42
    assert "bad.csv      42 rows" in compared or "42 rows" in compared.splitlines()[1]
    assert "= 42 rows read" in compared

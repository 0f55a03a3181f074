"""A difference that is not sent is said, and needs attention: no silent zero."""

import json

import pytest

from helpers import neat_delta, write_table

HEAD = ["sku", "name", "price", "stock", "postcode", "ean", "shade"]
LIVE = [HEAD]
for at in range(1, 21):
    numbers = [f"{at}.50", str(at % 7), f"{1000 + at:05}", f"0590{at:09}", f"1.{at:02}"]
    LIVE.append([f"{10 + at}-04-{at % 9 + 1:02}", f"Item {at}", *numbers])
ALL_WAYS = ["--base", "none", "--add-new", "--delete-missing", "30", "--write", "up"]


def compared(folder, table, *words, live=LIVE, delimiter=","):
    write_table(folder / "live.csv", live)
    write_table(folder / "edited.csv", table, delimiter=delimiter)
    done = neat_delta("compare", "live.csv", "edited.csv", *words, "--json", "--base", "none", cwd=folder)
    said = json.loads(done.stdout)
    codes = {one["code"] for one in said["problems"] if one["level"] == "error" or one["code"] == "column not used"}
    return done.returncode, said["result"]["cells"], codes


def edited(*cells):
    """The live rows with other texts in some places (row, column)."""
    table = [list(row) for row in LIVE]
    for row, name, text in cells:
        table[row][HEAD.index(name)] = text
    return table


@pytest.mark.parametrize(
    "form",
    [
        "20{0}-{1}-{2}", "{2}.{1}.20{0}", "{1}/{2}/{0}", "{0}. {1}. {2}", "{0}-Apr-{2}", "{0}. Mär 20{2}",
        "{0}年{1}月{2}日",
        "{0}:{1}:{2}", "{0}:{1} PM", "20{0}/{1}/{2}", "апр {2}",
    ],
)  # fmt: skip
def test_keys_that_became_dates_are_repaired_or_errors_and_never_other_items(tmp_path, form):
    table = edited((3, "price", "4.00"))
    for row in table[1:]:
        row[0] = form.format(*row[0].split("-"))

    code, cells, problems = compared(tmp_path, table, "--add-new", "--delete-missing", "30")
    done = neat_delta("compare", "live.csv", "edited.csv", *ALL_WAYS, cwd=tmp_path)

    assert (code, bool({"damaged SKU", "duplicate SKU"} & problems)) == (1, True) or (code, cells) == (0, 1)
    files = [path.name for path in (tmp_path / "up").glob("*.csv")]
    assert files in ([], ["01-changes.csv"]), done.stdout


def test_new_skus_that_only_look_like_dates_are_added_where_the_shop_has_such(tmp_path):
    code, cells, problems = compared(tmp_path, [*LIVE, ["31-04-09", "New", "1.00", "1", "01099", "", ""]], "--add-new")
    assert (code, cells, problems) == (0, 4, set())


def lost_forms(*cells, delimiter=","):
    """The live rows after a spreadsheet program took their zeros, with what was typed beside."""
    lost = [[row[0], *row[1:4], row[4].lstrip("0"), row[5].lstrip("0"), row[6].rstrip("0")] for row in LIVE[1:]]
    for row, name, text in cells:
        lost[row - 1][HEAD.index(name)] = text
    return [HEAD, *lost]


def test_what_is_typed_into_a_column_that_lost_its_zeros_is_read_as_the_column_was(tmp_path):
    typed = ("ean", "postcode", "shade"), ("590888888888", "1167", "1.4")
    table = lost_forms(
        *((row, *cell) for row, cell in enumerate(zip(*typed, strict=True), start=4)), (9, "postcode", "20095")
    )

    assert compared(tmp_path, table) == (0, 4, set())
    update = (neat_delta("compare", "live.csv", "edited.csv", *ALL_WAYS, cwd=tmp_path), tmp_path / "up")[1]
    sent = "".join(path.read_text() for path in update.glob("*.csv"))
    assert all(text in sent for text in ("0590888888888", "01167", "1.40", "20095"))
    compared(tmp_path, table, "--as-typed", "ean", "--write", "typed")
    assert "590888888888" in (tmp_path / "typed" / "01-changes.csv").read_text().replace("0590888888888", "")


def test_what_may_have_been_typed_in_two_ways_is_an_error(tmp_path):
    live = [
        ["sku", "bin"],
        *([f"Q{at}", f"{at:04}"] for at in range(1, 30)),
        *([f"R{at}", str(at + 500)] for at in range(30)),
    ]
    table = [[row[0], row[1].lstrip("0") or row[1]] for row in live]
    table[3][1], table[5][1], table[40][1] = "777", "12345", "1200"

    code, cells, problems = compared(tmp_path, table, live=live)

    # (12345 and 1200 are as long as no value that lost a zero.)
    assert (code, cells, problems) == (1, 2, {"doubtful value"})


def test_a_new_sku_in_a_column_that_lost_its_zeros_is_not_added(tmp_path):
    live = [["sku", "name", "price"], *([f"{at:06}", f"Item {at}", f"{at}.50"] for at in range(100, 130))]
    table = [[row[0].lstrip("0"), *row[1:]] for row in live]
    table.append(["999", "New", "1.00"])

    assert compared(tmp_path, table, "--add-new", live=live) == (1, 0, {"damaged SKU"})


def test_honest_short_values_in_a_column_that_kept_its_zeros_are_sent(tmp_path):
    assert compared(tmp_path, edited((4, "postcode", "20095"), (5, "postcode", "01167"))) == (0, 2, set())
    assert compared(tmp_path, edited((4, "postcode", "1167"))) == (0, 1, set())


@pytest.mark.parametrize("text", ["#N/A", "N/A", "#WERT!", "#NV", "n/a", "-", "nan"])
def test_words_for_no_data_in_numbers_are_errors_but_in_a_suppliers_file(tmp_path, text):
    assert compared(tmp_path, edited((4, "price", text))) == (1, 0, {"unreadable cell"})
    list_of_supplier = [[*HEAD, "their own"], *([*row, "x"] for row in edited((4, "price", text))[1:])]
    of_formula = text.startswith("#")
    assert compared(tmp_path, list_of_supplier)[:2] == ((1, 0) if of_formula else (0, 0))


@pytest.mark.parametrize(("columns", "code", "emptied"), [("name", 1, 0), ("price", 1, 0), ("shade", 1, 0)])
def test_blanks_do_not_wipe_a_column(tmp_path, columns, code, emptied):
    table = edited(*((row, columns, "") for row in range(1, 21)))
    assert compared(tmp_path, table, "--blanks", "clear")[:2] == (code, emptied)
    answer = ["--ignore", "column emptied", *(["--ignore", "price emptied"] if columns == "price" else [])]
    assert compared(tmp_path, table, "--blanks", "clear", *answer)[:2] == (0, 20)


def test_a_few_blanks_empty_their_cells(tmp_path):
    table = edited(*((row, "name", "") for row in range(1, 10)))
    assert compared(tmp_path, table, "--blanks", "clear") == (0, 9, set())


@pytest.mark.parametrize(("column", "renamed"), [("price", "Preis"), ("stock", "Lagerplatz"), ("name", "Xyz")])
def test_a_renamed_column_is_said_wherever_it_is_looked_at(tmp_path, column, renamed):
    table = edited((4, column, "9"))
    table[0] = [renamed if name == column else name for name in HEAD]

    assert compared(tmp_path, table) == (1, 0, {"column not used"})
    quiet = neat_delta("compare", "live.csv", "edited.csv", "--quiet", "--base", "none", cwd=tmp_path)
    assert (quiet.returncode, f"the column {renamed} is not used" in quiet.stderr) == (1, True)
    assert compared(tmp_path, table, "--skip", renamed)[0] == 0
    assert compared(tmp_path, table, "--map", f"{renamed}={column}")[1] == 1
    (tmp_path / "night.toml").write_text('live = "live.csv"\nedited = "edited.csv"\nto = "inbox"\nhistory = "h.db"\n')
    (tmp_path / "inbox").mkdir()
    run = neat_delta("run", "night.toml", cwd=tmp_path)
    assert (run.returncode, "is not used" in run.stdout) == (1, True), run.stdout


def test_columns_of_ones_own_are_no_concern(tmp_path):
    table = [[*HEAD, "my notes", "done"], *([*row, f"see {at}", "x"] for at, row in enumerate(LIVE[1:]))]
    assert compared(tmp_path, table) == (0, 0, set())


def test_what_is_typed_as_text_into_a_workbook_is_read_where_it_can_be_but_one_value(tmp_path):
    from openpyxl import Workbook

    head = ["sku", "vat", "since"]
    live = [head, *([f"K{at}", f"{at} %", f"{at + 1:02}.{at % 12 + 1:02}.2026"] for at in range(1, 21))]
    book = Workbook()
    for row in live:
        book.active.append(row)
    typed = {"B3": 0.15, "B4": "15%", "B5": "%15", "C6": "24.12.2026", "C7": "2026-07-01", "C8": "07/13/2026"}
    typed["C9"] = "03/04/26"
    for place, value in typed.items():
        book.active[place] = value
    book.active["B3"].number_format = "0%"
    book.save(tmp_path / "edited.xlsx")
    write_table(tmp_path / "live.csv", live)

    done = neat_delta("compare", "live.csv", "edited.xlsx", *ALL_WAYS[:2], "--write", "up", "--json", cwd=tmp_path)

    said = json.loads(done.stdout)
    held = [(one["field"], one["value"]) for one in said["problems"] if one["level"] == "error"]
    assert held == [("since", "03/04/26")]
    sent = "".join(path.read_text() for path in (tmp_path / "up").glob("*.csv"))
    assert (done.returncode, said["result"]["cells"], sent.count("15 %")) == (1, 6, 3)
    assert all(day in sent for day in ("24.12.2026", "01.07.2026", "13.07.2026"))


def test_what_a_program_made_of_an_older_value_is_no_conflict_with_the_shops_new_one(tmp_path):
    older = [["sku", "slot", "price"], *([f"K{at}", f"{at % 9 + 1}-{at % 12 + 1}", f"{at}.00"] for at in range(1, 31))]
    sheet = [list(row) for row in older]
    for row in sheet[1:]:
        row[1] = "2026-{1:>02}-{0:>02}".format(*row[1].split("-"))
    sheet[9][2] = "5.00"
    live = [list(row) for row in older]
    live[5][1] = "7-7"
    for name, table in (("live.csv", live), ("older.csv", older), ("sheet.csv", sheet)):
        write_table(tmp_path / name, table)

    words = ("compare", "live.csv", "sheet.csv", "--base", "older.csv", "--on-conflict", "ours", "--json")
    said = json.loads(neat_delta(*words, cwd=tmp_path).stdout)

    assert (said["exit"], said["result"]["cells"]) == (0, 1)
    assert {one["code"] for one in said["problems"]} == {"repaired"}


@pytest.mark.parametrize(("name", "text"), [("postcode", "1003"), ("ean", "590000000003")])
def test_zeros_that_only_one_cell_of_a_column_lost_may_have_been_typed(tmp_path, name, text):
    assert compared(tmp_path, edited((3, name, text), (5, "price", "9.90"))) == (1, 1, {"doubtful value"})
    assert compared(tmp_path, edited((3, name, text)), "--as-typed", name) == (0, 1, set())

    lost = [[*line[:4], *(cell.lstrip("0") for cell in line[4:])] for line in LIVE[1:]]
    assert compared(tmp_path, [HEAD, *lost]) == (0, 0, set())


@pytest.mark.parametrize("mark", [".", ","])
@pytest.mark.parametrize(("rewritten", "expected"), [(1, (1, 0, {"doubtful value"})), (8, (0, 0, set()))])
def test_so_may_a_version_whose_zero_is_gone(tmp_path, mark, rewritten, expected):
    live = [
        ["sku", "version"],
        *([f"K{at}", f"{at}{mark}{at % 3 + 1}0" if at % 4 else f"v{at}"] for at in range(1, 17)),
    ]
    table = [[code, text.rstrip("0") if at < rewritten else text] for at, (code, text) in enumerate(live[1:])]

    assert compared(tmp_path, [live[0], *table], live=live, delimiter=";") == expected

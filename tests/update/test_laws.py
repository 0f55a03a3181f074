"""The laws that hold for every catalogue and every edit, on random ones; the importing shop here is not ours."""

import json
import re
import sqlite3
import tempfile
from contextlib import closing
from decimal import Decimal
from pathlib import Path

import openpyxl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from openpyxl.utils.escape import unescape

from helpers import examples, import_into, read_rows, update_files, write_table
from neat_delta.changeset.serialization import dump_changes, load_changes
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair, read_table
from neat_delta.tables.settings import ImportConfig, Settings
from neat_delta.update import WriteOptions
from neat_delta.update.field_sets import WAYS
from neat_delta.update.write import write_update

# A header beyond ASCII lets every file tell its character set.
NAMES = ["sku", "näme", "note", "price", "stock"]
TEXTS = dict.fromkeys(NAMES[1:], "text")
LAWS = settings(max_examples=examples(12), suppress_health_check=[HealthCheck.too_slow])

cell = st.text(st.sampled_from("abé;,|\t\"' \n\r.0-="), max_size=6)
code = st.text(st.sampled_from('AB01-.,;" '), min_size=1, max_size=4).filter(lambda text: text.strip())
form = st.fixed_dictionaries(
    {
        "delimiter": st.sampled_from(",;\t|"),
        "charset": st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "cp1252"]),
        "line_end": st.sampled_from(["\n", "\r\n"]),
        "quote_all": st.booleans(),
    }
)


@st.composite
def shops(draw, cells=cell):
    """A live table, the same table edited, and an order of its rows and columns."""
    codes = draw(st.lists(code, min_size=1, max_size=6, unique=True))
    live = [[sku, *draw(st.lists(cells, min_size=4, max_size=4))] for sku in codes]
    edited = [
        [row[0], *(edited_cell(old, draw(cells)) if draw(st.booleans()) else old for old in row[1:])] for row in live
    ]
    return [NAMES, *live], [NAMES, *edited], draw(st.permutations(range(len(codes)))), draw(st.permutations(range(5)))


def edited_cell(old, new):
    """An edit, but none that only writes a zero in another form, as spreadsheet programs do: that is no change."""
    return old if all(re.fullmatch(r"[\s0.,-]*0[\s0.,-]*", text) for text in (old, new)) else new


def shuffled(table, rows, columns):
    header, *body = [[row[at] for at in columns] for row in table]
    return [header, *(body[at] for at in rows)]


def blank(text: str) -> bool:
    return not text.strip()


def untamed(old: str, new: str) -> str:
    """A text that would be run as a formula may stand behind an apostrophe in a sheet for people."""
    return new[1:] if new != old and re.match(r"'+[\s\x00-\x20]*[=@+-]", new) else new


def edit(old: str, new: str) -> str:
    """What an edited cell makes of a live one: white space around a text is kept only where both have the same."""
    if blank(new):
        return old if blank(old) else ""
    if old.replace("\r\n", "\n").strip() == new.replace("\r\n", "\n").strip():
        return old
    front, behind = ends(old)
    pairs = zip(ends(new.replace("\r\n", "\n")), ends(old.replace("\r\n", "\n")), strict=True)
    keeps = [mine == its for mine, its in pairs]
    return front * keeps[0] + new.strip() + behind * keeps[1]


def ends(text):
    return text[: len(text) - len(text.lstrip())], text[len(text.rstrip()) :]


def meant(live, edited):
    """What the live table becomes: blanks empty a cell that has a value; line ends alone are no change."""
    header, *rows = edited
    rows = [
        [untamed(old, new) for old, new in zip(before, after, strict=True)]
        for before, after in zip(live[1:], rows, strict=True)
    ]
    return [
        header,
        *(
            [before[0], *(edit(old, new) for old, new in zip(before[1:], after[1:], strict=True))]
            for before, after in zip(live[1:], rows, strict=True)
        ),
    ]


def reading(form):
    return {"delimiter": form["delimiter"], "charset": form["charset"]}


@LAWS
@given(shops(), form, form, st.sampled_from(WAYS))
def test_the_update_makes_the_edited_catalogue_and_the_undo_the_live_one(shop, live_form, edited_form, way):
    live, edited, rows, columns = shop
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        a = write_table(folder / "live.csv", live, **live_form)
        b = write_table(folder / "edited.csv", shuffled(edited, rows, columns), **edited_form)
        ours, theirs = read_pair(a, b)
        seen = compare(ours, theirs, CompareOptions(clear_blanks=True, types=TEXTS))
        receipt = write_update(seen.changes, ours, folder / "up", options=WriteOptions(strategy=way))
        before, after = read_rows(a, **reading(live_form)), meant(live, edited)

        assert before == live
        if receipt is None:
            assert after == live
            return
        got = import_into(before, update_files(folder / "up"), **reading(live_form))
        back = import_into(got, update_files(folder / "up" / "undo"), **reading(live_form))

        assert got == after
        assert back == live


@LAWS
@given(shops(), st.data(), form, st.sampled_from(WAYS))
def test_items_come_and_go_as_the_sheet_says_and_come_back(shop, data, live_form, way):
    live, edited, _, _ = shop
    kept = data.draw(st.lists(st.booleans(), min_size=len(live) - 1, max_size=len(live) - 1))
    new = data.draw(st.dictionaries(st.text("XYZ'", min_size=1, max_size=3), st.lists(cell, min_size=4, max_size=4)))
    came = [[sku, *cells] for sku, cells in new.items()]
    stays, left = ([row for row, keep in zip(live[1:], kept, strict=True) if keep == which] for which in (True, False))
    sheet = [row for row, keep in zip(edited[1:], kept, strict=True) if keep]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        a = write_table(folder / "live.csv", live, **live_form)
        b = write_table(folder / "edited.csv", [NAMES, *sheet, *came])
        ours, theirs = read_pair(a, b)
        seen = compare(
            ours, theirs, CompareOptions(clear_blanks=True, types=TEXTS, add_new=True, delete_at_most=len(left))
        )
        counts = seen.changes.counts
        (folder / "kept").write_bytes(dump_changes(seen.changes))
        loaded = load_changes(folder / "kept")
        assert (loaded.items.rows(), loaded.cells.rows()) == (seen.changes.items.rows(), seen.changes.cells.rows())
        receipt = write_update(seen.changes, ours, folder / "up", options=WriteOptions(strategy=way))
        if receipt is None:
            assert not came
            assert not left
            return
        got = import_into(live, update_files(folder / "up"), **reading(live_form))
        back = import_into(got, update_files(folder / "up" / "undo"), **reading(live_form))

    after = meant([NAMES, *stays], [NAMES, *sheet]) + [
        [row[0], *(edit("", untamed("", cell)) for cell in row[1:])] for row in came
    ]
    assert (counts["new"], counts["missing"]) == (len(came), len(left))
    assert got == after
    assert sorted(back[1:]) == sorted(live[1:])


@LAWS
@given(shops(), form, form)
def test_a_catalogue_against_itself_has_no_change_in_any_order_and_form(shop, live_form, other_form):
    live, _, rows, columns = shop
    with tempfile.TemporaryDirectory() as name:
        a = write_table(Path(name) / "live.csv", live, **live_form)
        b = write_table(Path(name) / "edited.csv", shuffled(live, rows, columns), **other_form)
        for options in (CompareOptions(), CompareOptions(clear_blanks=True), CompareOptions(types=TEXTS)):
            seen = compare(*read_pair(a, b), options)

            assert seen.changes.cells.is_empty()
            assert seen.changes.counts["unchanged"] == len(live) - 1


number = st.decimals(min_value=0, max_value=99999, places=2, allow_nan=False)


@LAWS
@given(
    st.lists(st.tuples(number, number, st.sampled_from(["plain", "comma", "grouped", "short"])), min_size=1, max_size=8)
)
def test_prices_change_exactly_where_their_value_does(prices):
    """However a price is written in the sheet, the update holds it in the live form, to the cent."""
    forms = {
        "plain": lambda n: f"{n:.2f}",
        "comma": lambda n: f"{n:.2f}".replace(".", ","),
        "grouped": lambda n: f"{n:,.2f}",
        "short": lambda n: format(n.normalize(), "f"),
    }
    live = [["sku", "price"], *([f"S{at}", f"{was:.2f}"] for at, (was, _, _) in enumerate(prices))]
    edited = [["sku", "price"], *([f"S{at}", forms[how](now)] for at, (_, now, how) in enumerate(prices))]
    with tempfile.TemporaryDirectory() as name:
        a = write_table(Path(name) / "live.csv", live)
        b = write_table(Path(name) / "edited.csv", edited)
        seen = compare(*read_pair(a, b))

    wanted = {f"S{at}": f"{now:.2f}" for at, (was, now, _) in enumerate(prices) if Decimal(was) != now}
    assert dict(seen.changes.cells.select("key", "now").iter_rows()) == wanted
    assert seen.changes.findings.is_empty()


@LAWS
@given(shops())
def test_a_kept_change_set_writes_the_same_update(shop):
    live, edited, _, _ = shop
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        a, b = write_table(folder / "live.csv", live), write_table(folder / "edited.csv", edited)
        changes = compare(*read_pair(a, b), CompareOptions(types=TEXTS)).changes
        (folder / "kept").write_bytes(dump_changes(changes))
        if changes.cells.is_empty():
            return
        write_update(changes, read_table(a), folder / "one")
        write_update(load_changes(folder / "kept"), read_table(a), folder / "two")

        assert [f.read_bytes() for f in update_files(folder / "one")] == [
            f.read_bytes() for f in update_files(folder / "two")
        ]


def as_tables(workbooks):
    """The same as comma-separated files, read by a package that the program does not use; every cell is text."""
    files = []
    for path in workbooks:
        rows = openpyxl.load_workbook(path).active.iter_rows(values_only=True)
        # Signs that XML has no place for stand in workbooks as _x000D_ (ECMA-376, ST_Xstring).
        table = [["" if cell is None else unescape(cell) for cell in row] for row in rows]
        files.append(write_table(path.with_suffix(".csv"), table))
    return files


def imported_records(table, files, shape):
    """A shop that takes JSON lines by the book, or runs a script; nothing of ours is used."""
    header, *rows = table
    if shape == "sql":
        with closing(sqlite3.connect(":memory:")) as base:
            base.execute(f"CREATE TABLE items ({', '.join(header)})")
            base.executemany(f"INSERT INTO items VALUES ({', '.join('?' * len(header))})", rows)
            base.commit()
            for path in files:
                base.executescript(path.read_bytes().decode())
            after = base.execute("SELECT * FROM items ORDER BY rowid").fetchall()
        return [header, *([cell or "" for cell in row] for row in after)]
    items = {row[0]: dict(zip(header, row, strict=True)) for row in rows}
    for path in files:
        for line in path.read_bytes().decode().removesuffix("\n").split("\n"):
            told = json.loads(line)
            ((code, patch),) = told.items() if shape == "merge-patch" else [(told["sku"], told)]
            if patch is None or "removals" in path.name:
                del items[code]
                continue
            assert (code in items) != ("new-items" in path.name)
            items.setdefault(code, dict.fromkeys(header, "") | {"sku": code}).update(
                {name: "" if cell is None else cell for name, cell in patch.items()}
            )
    return [header, *([item[name] for name in header] for item in items.values())]


@LAWS
@given(shops(), st.data(), st.sampled_from(["jsonl", "merge-patch", "sql", "xlsx", "tsv"]))
def test_every_form_does_the_same_and_is_undone_by_its_own_undo(shop, data, shape):
    live, edited, _, _ = shop
    kept = data.draw(st.lists(st.booleans(), min_size=len(live) - 1, max_size=len(live) - 1))
    new = data.draw(st.dictionaries(st.text("XYZ'", min_size=1, max_size=3), st.lists(cell, min_size=4, max_size=4)))
    came = [[sku, *cells] for sku, cells in new.items()]
    stays, sheet = ([row for row, keep in zip(table[1:], kept, strict=True) if keep] for table in (live, edited))
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        a = write_table(folder / "live.csv", live)
        b = write_table(folder / "edited.csv", [NAMES, *sheet, *came])
        ours, theirs = read_pair(a, b)
        seen = compare(ours, theirs, CompareOptions(clear_blanks=True, types=TEXTS, add_new=True, delete_at_most=99))
        if write_update(seen.changes, ours, folder / "up", options=WriteOptions(output_format=shape)) is None:
            return
        files, undo = update_files(folder / "up"), update_files(folder / "up" / "undo")
        if shape == "xlsx":
            files, undo = as_tables(files), as_tables(undo)
            got = import_into(live, files)
            back = import_into(got, undo)
        elif shape == "tsv":
            got = import_into(live, files, delimiter="\t")
            back = import_into(got, undo, delimiter="\t")
        else:
            got = imported_records(live, files, shape)
            back = imported_records(got, undo, shape)

    after = meant([NAMES, *stays], [NAMES, *sheet]) + [
        [row[0], *(edit("", untamed("", cell)) for cell in row[1:])] for row in came
    ]
    assert got == after
    assert sorted(back[1:]) == sorted(live[1:])


def test_a_script_stops_where_the_shop_is_not_as_the_export_has_it(tmp_path):
    live = [["sku", "näme", "price"], ["A", "a", "1.00"], ["B", "b", "2.00"]]
    a = write_table(tmp_path / "live.csv", live)
    b = write_table(tmp_path / "edited.csv", [live[0], ["A", "a", "1.50"], ["B", "b", "2.50"]])
    ours, edited = read_pair(a, b)
    write_update(compare(ours, edited).changes, ours, tmp_path / "up", options=WriteOptions(output_format="sql"))
    moved = [live[0], live[1], ["B", "b", "2.20"]]

    with pytest.raises(sqlite3.IntegrityError):
        imported_records(moved, update_files(tmp_path / "up"), "sql")


def with_cells(table, cells, value):
    """A table with other values in some of its cells (code, column); ``value`` makes one of row, column and cell."""
    header, *rows = table
    return [
        header,
        *(
            [value(at, place, cell) if (row[0], header[place]) in cells else cell for place, cell in enumerate(row)]
            for at, row in enumerate(rows, start=1)
        ),
    ]


def leaving(table, files, **form):
    """A shop that leaves a field alone where a cell is blank, and empties it where it says (none)."""
    header, *rows = [list(row) for row in table]
    items = {row[0]: row for row in rows}
    for path in files:
        columns, *changes = read_rows(path, **form)
        for change in changes:
            for column, cell in zip(columns, change, strict=True):
                if cell:
                    items[change[columns.index("sku")]][header.index(column)] = "" if cell == "(none)" else cell
    return [header, *rows]


@LAWS
@given(shops(), form, st.sampled_from(["delimited", "jsonl", "merge-patch", "xlsx", "tsv", "leaves"]))
def test_in_a_shop_that_moved_on_an_update_changes_just_its_own_cells(shop, live_form, shape):
    live, edited, _, _ = shop
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        a, b = write_table(folder / "live.csv", live, **live_form), write_table(folder / "edited.csv", edited)
        ours, theirs = read_pair(a, b)
        changes = compare(ours, theirs, CompareOptions(clear_blanks=True, types=TEXTS)).changes
        imports = ImportConfig(blank="leaves", marker="(none)") if shape == "leaves" else ImportConfig()
        form = "delimited" if shape == "leaves" else shape
        if (
            write_update(
                changes, ours, folder / "up", Settings(imports=imports), options=WriteOptions(output_format=form)
            )
            is None
        ):
            return
        asked = set(changes.cells.select("key", "field").rows())
        others = {(row[0], name) for row in live[1:] for name in NAMES[1:]} - asked
        after = meant(live, edited)
        for files, was, shall in ((folder / "up", live, after), (folder / "up/undo", after, live)):
            # Colleagues have been at work: every other cell has another value than in the export.
            there = with_cells(was, others, lambda at, place, cell: f"{cell}!")
            got = taken_by(shape, there, update_files(files), live_form)
            assert got == with_cells(there, asked, lambda at, place, _, shall=shall: shall[at][place])


def taken_by(shape, table, paths, live_form):
    """What a shop is like after the import of files of some sort."""
    if shape == "leaves":
        assert len(paths) <= 1
        return leaving(table, paths, **reading(live_form))
    if shape in ("jsonl", "merge-patch"):
        return imported_records(table, paths, shape)
    if shape == "xlsx":
        return import_into(table, as_tables(paths))
    return import_into(table, paths, **(reading(live_form) | ({"delimiter": "\t"} if shape == "tsv" else {})))


@LAWS
@given(shops(), shops(), st.booleans())
def test_two_updates_from_one_export_give_the_union_of_both_in_either_order(shop, other, turned):
    live, edited, _, _ = shop
    # The second colleague edits other fields of the same items.
    values = [row[3:] for row in other[1][1:]]
    prices = [list(map(edited_cell, row[3:], values[at % len(values)])) for at, row in enumerate(live[1:])]
    second = [NAMES, *([*row[:3], *new] for row, new in zip(live[1:], prices, strict=True))]
    first = [NAMES, *([row[0], *row[1:3], *old[3:]] for row, old in zip(edited[1:], live[1:], strict=True))]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        a = write_table(folder / "live.csv", live)
        shops_now = live
        sheets = [second, first] if turned else [first, second]
        for at, sheet in enumerate(sheets):
            b = write_table(folder / f"{at}.csv", sheet)
            ours, theirs = read_pair(a, b)
            changes = compare(ours, theirs, CompareOptions(clear_blanks=True, types=TEXTS)).changes
            if write_update(changes, ours, folder / f"up{at}") is not None:
                shops_now = import_into(shops_now, update_files(folder / f"up{at}"))

    one, two = meant(live, first), meant(live, second)
    assert shops_now == [NAMES, *([*row[:3], *last[3:]] for row, last in zip(one[1:], two[1:], strict=True))]

"""The shop moved on: what of a change set is still needed, and what of an update has arrived."""

from dataclasses import replace

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from helpers import examples, import_into, neat_delta, read_rows, update_files, write_table
from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.invert import invert
from neat_delta.changeset.serialization import load_changes, save_changes
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.diff.recode import code_pairs, recode
from neat_delta.matching import Key
from neat_delta.matching.context import Context
from neat_delta.reading import read_pair, read_table
from neat_delta.reconcile.conflicts import ConflictPolicy
from neat_delta.reconcile.refresh import refresh
from neat_delta.reconcile.verify import verify
from neat_delta.tables.settings import FieldSettings, RefreshSettings, Settings
from neat_delta.update.write import write_update

NAMES = ["sku", "item_id", "name", "price", "stock"]
LIVE = [
    NAMES,
    ["A", "1", "Hive", "10.00", "5"],
    ["B", "2", "Veil", "20.00", "6"],
    ["C", "3", "Jar", "30.00", "7"],
    ["D", "4", "Lid", "40.00", "8"],
    ["E", "5", "Hat", "50.00", "9"],
]
ALL = CompareOptions(add_new=True, delete_at_most=9, clear_blanks=True, settings=Settings(identity="item_id"))
SELLS = Settings(refresh=RefreshSettings(difference=("stock",)))


def made(folder, edited, live=LIVE, options=ALL):
    a, b = write_table(folder / "live.csv", live), write_table(folder / "edited.csv", edited)
    ours, sheet = read_pair(a, b)
    return compare(ours, sheet, options).changes


def later(folder, table):
    return read_table(write_table(folder / "fresh.csv", table))


def with_cells(table, **cells):
    """A table with other cells: A_price="11.00"."""
    copy = [list(row) for row in table]
    for place, value in cells.items():
        code, name = place.split("_", 1)
        next(row for row in copy if row[0] == code)[NAMES.index(name)] = value
    return copy


def cells_of(changes):
    return {(key, field): (was, now) for key, field, was, now in changes.cells.iter_rows()}


def test_what_the_shop_has_by_now_drops_what_it_left_stays_and_what_both_moved_clashes(tmp_path):
    changes = made(tmp_path, with_cells(LIVE, A_price="11.00", B_price="22.00", C_price="33.00", D_name="Lids"))
    fresh = later(tmp_path, with_cells(LIVE, B_price="22.0", C_price="31.50", D_stock="2"))

    seen = refresh(changes, fresh, Settings())

    assert cells_of(seen.changes) == {("A", "price"): ("10.00", "11.00"), ("D", "name"): ("Lid", "Lids")}
    assert seen.conflicts.rows() == [("C", "price", "30.00", "33.00", "31.50", "hold")]
    (clash,) = seen.changes.findings.filter(code="conflict")["message"]
    assert "original 30.00, ours 33.00, shop 31.50" in clash
    assert (seen.applied, seen.unchanged) == (1, 2)
    counts = seen.changes.counts
    assert (counts["changed"], counts["unchanged"], counts["rejected"]) == (2, 2, 1)


@pytest.mark.parametrize(
    ("policy", "by_field", "cells"),
    [
        ("ours", {}, {("A", "price"): ("12.00", "11.00"), ("A", "name"): ("Box", "Skep")}),
        ("shop", {}, {}),
        ("hold", {"price": "ours"}, {("A", "price"): ("12.00", "11.00")}),
        ("ours", {"price": "shop"}, {("A", "name"): ("Box", "Skep")}),
    ],
)
def test_clashes_go_as_they_are_told_to(tmp_path, policy, by_field, cells):
    changes = made(tmp_path, with_cells(LIVE, A_price="11.00", A_name="Skep"))
    fresh = later(tmp_path, with_cells(LIVE, A_price="12.00", A_name="Box"))

    assert cells_of(refresh(changes, fresh, Settings(), ConflictPolicy(policy, by_field)).changes) == cells


def test_a_stock_may_go_as_a_difference_and_never_below_zero(tmp_path):
    changes = made(tmp_path, with_cells(LIVE, A_stock="13", B_stock="1", C_stock="9", D_stock="10"))
    fresh = later(tmp_path, with_cells(LIVE, A_stock="3", B_stock="4", C_stock="5", D_stock="10"))

    seen = refresh(changes, fresh, SELLS)

    assert cells_of(seen.changes) == {
        ("A", "stock"): ("3", "11"),
        ("B", "stock"): ("4", "0"),
        ("C", "stock"): ("5", "7"),
    }
    assert seen.changes.findings.filter(code="below zero").select("key", "value").rows() == [("B", "-1")]


def test_items_that_came_or_went_meanwhile_are_told(tmp_path):
    edited = [
        *with_cells(LIVE, A_price="11.00", B_price="22.00")[:4],
        ["N", "9", "New", "1.00", ""],
        ["M", "8", "More", "2.00", ""],
    ]
    changes = made(tmp_path, edited)  # D and E are to be removed
    moved = with_cells(LIVE, E_price="51.00")
    fresh = later(tmp_path, [moved[0], *moved[2:], ["N", "9", "New", "1.50", "3"], ["M", "8", "More", "2", ""]])

    seen = refresh(changes, fresh, Settings())

    action = dict(seen.changes.items.select("key", "action").rows())
    assert action == {"A": "none", "B": "change", "D": "remove", "E": "none", "N": "none", "M": "none"}
    said = {(key, check) for key, check in seen.changes.findings.select("key", "code").iter_rows()}
    assert {("A", "deleted since"), ("E", "conflict"), ("N", "conflict")} <= said
    assert cells_of(seen.changes)[("D", "price")] == ("40.00", None)
    ours = refresh(changes, fresh, Settings(), ConflictPolicy("ours")).changes
    assert dict(ours.items.select("key", "action").rows()) == action | {"E": "remove", "N": "change"}
    assert cells_of(ours)[("N", "price")] == ("1.50", "1.00")


def test_code_changes_that_have_happened_are_followed(tmp_path):
    edited = [LIVE[0], ["A9", "1", "Hive", "11.00", "5"], ["B9", "2", "Veil", "20.00", "6"], *LIVE[3:]]
    changes = made(tmp_path, edited)
    fresh = later(tmp_path, [LIVE[0], ["A9", "1", "Hive", "10.00", "5"], *LIVE[2:], ["B9", "7", "Other", "1.00", "1"]])

    seen = refresh(changes, fresh, Settings())

    assert cells_of(seen.changes) == {("A9", "price"): ("10.00", "11.00")}
    assert seen.changes.new_keys() == {}
    assert "another item has the new SKU" in seen.changes.findings.filter(code="conflict", key="B")["message"][0]


def test_an_export_without_a_field_is_refused(tmp_path):
    changes = made(tmp_path, with_cells(LIVE, A_price="11.00"))
    fresh = later(tmp_path, [row[:3] for row in LIVE])

    with pytest.raises(InvalidOption, match="has no column price"):
        refresh(changes, fresh, Settings())


cell = st.sampled_from(["1.00", "2.00", "2", "3.50"])
rows = st.lists(cell, min_size=5, max_size=5)


@settings(suppress_health_check=[HealthCheck.too_slow], max_examples=examples(20))
@given(rows, rows, st.sampled_from(["hold", "ours", "shop"]))
def test_a_refreshed_update_never_undoes_what_others_did(tmp_path_factory, wanted, drift, policy):
    folder = tmp_path_factory.mktemp("refresh")
    live = with_cells(LIVE, **{f"{code}_price": "1.00" for code in "ABCDE"})
    edited = with_cells(live, **{f"{code}_price": price for code, price in zip("ABCDE", wanted, strict=True)})
    table = with_cells(live, **{f"{code}_price": price for code, price in zip("ABCDE", drift, strict=True)})
    changes, fresh = made(folder, edited, live), later(folder, table)

    seen = refresh(changes, fresh, Settings(), ConflictPolicy(policy))
    save_changes(seen.changes, folder / "c.jsonl")
    write_update(load_changes(folder / "c.jsonl"), fresh, folder / "up")

    got = import_into(table, update_files(folder / "up")) if (folder / "up").exists() else table
    for mine, theirs, row in zip(wanted, drift, got[1:], strict=True):
        both = float(mine) != 1 and float(theirs) not in (1, float(mine))
        expected = theirs if float(mine) == 1 or (both and policy != "ours") else mine
        assert float(row[3]) == float(expected)
    counts = seen.changes.counts
    assert sum(number for state, number in counts.items() if state != "gone") == len(edited) - 1


def test_an_update_that_has_arrived_is_settled(tmp_path):
    edited = [*with_cells(LIVE, A_price="11.00", B_name="")[:4], ["N", "9", "New", "1.00", ""]]
    changes = made(tmp_path, edited)

    seen = verify(changes, later(tmp_path, edited), SELLS)

    assert seen.done
    assert seen.remaining.items["action"].is_in(["none"]).all()


@pytest.mark.parametrize(
    ("ours", "there", "state", "how"),
    [
        ("12.345", "12.35", "applied differently", "rounded"),
        ("12.349", "12.34", "applied differently", "decimals cut off"),
        ("12.5", "12.50", "applied", None),
        ("12.00", "10.00", "not applied", None),
        ("12.00", "13.00", "changed again since", None),
    ],
)
def test_numbers_that_landed_another_way_say_how(tmp_path, ours, there, state, how):
    changes = made(tmp_path, with_cells(LIVE, A_price=ours))

    (told,) = verify(changes, later(tmp_path, with_cells(LIVE, A_price=there)), Settings()).changes.to_dicts()

    assert (told["state"], told["how"]) == (state, how)


@pytest.mark.parametrize(
    ("ours", "there", "how"),
    [
        ("A long hive of larch", "A LONG HIVE OF LARCH", "letter case"),
        ("A long hive of larch ", "A long hive of larch", "trimmed"),
        ("A long hive of larch", "A long hive of", "cut off"),
        ("A long hive of larch", "A long", "cut off"),
        ("A long hive of larch", "A", None),
        ("A long hive of larch", "", None),
        ("A  long hive", "A long hive", "spaces"),
        ("A long hive", "Something else", None),
    ],
)
def test_texts_that_landed_another_way_say_how(tmp_path, ours, there, how):
    changes = made(tmp_path, with_cells(LIVE, A_name=ours), options=replace(ALL, as_typed=("name",)))

    (told,) = verify(changes, later(tmp_path, with_cells(LIVE, A_name=there)), Settings()).changes.to_dicts()

    assert told["how"] == how
    assert told["state"] == ("applied differently" if how else "changed again since")


def test_what_has_been_sold_since_is_no_difference_to_be_added_again(tmp_path):
    changes = made(tmp_path, with_cells(LIVE, A_stock="8", B_stock="9"))
    fresh = later(tmp_path, with_cells(LIVE, A_stock="7", B_stock="6"))  # three came to A, one was sold; none to B

    outcome = verify(changes, fresh, SELLS)

    assert outcome.changes.select("key", "state").rows() == [("A", "changed again since"), ("B", "not applied")]
    assert cells_of(outcome.remaining) == {("B", "stock"): ("6", "9")}


def test_what_has_not_landed_remains_as_a_change_set_of_its_own(tmp_path):
    edited = [*with_cells(LIVE, A_price="11.00", B_price="22.00", C_price="33.00")[:5], ["N", "9", "New", "1.00", "2"]]
    changes = made(tmp_path, edited)
    fresh = later(tmp_path, with_cells(LIVE, A_price="11.00", C_price="99.00"))

    seen = verify(changes, fresh, Settings())

    assert not seen.done
    assert (seen.count("applied"), seen.count("changed again since")) == (1, 1)
    assert set(cells_of(seen.remaining)) >= {("B", "price"), ("N", "price"), ("E", "price")}
    assert ("C", "price") not in cells_of(seen.remaining)
    assert write_update(seen.remaining, fresh, tmp_path / "up").items == 3


def test_an_undo_against_a_newer_export_leaves_what_others_have_changed(tmp_path):
    edited = [*with_cells(LIVE, A_price="11.00", B_price="22.00", C_price="33.00"), ["N", "9", "New", "1.00", "2"]]
    changes = made(tmp_path, edited)
    now = with_cells(edited, B_price="25.00", C_price="30.00", D_stock="1")
    fresh = later(tmp_path, now)

    seen = refresh(invert(changes), fresh, Settings())

    assert cells_of(seen.changes)[("A", "price")] == ("11.00", "10.00")
    assert seen.conflicts.select("key", "shop").rows() == [("B", "25.00")]
    write_update(seen.changes, fresh, tmp_path / "back")
    got = import_into(now, update_files(tmp_path / "back"))
    assert got == with_cells(LIVE, B_price="25.00", D_stock="1")


def swapped(folder, live):
    """A and B change their codes, as a list of codes says."""
    export = read_table(write_table(folder / "live.csv", live))
    codes = read_table(write_table(folder / "codes.csv", [["old", "new"], ["A", "B"], ["B", "A"]]))
    key = Key(("sku",), explicit=True)
    return recode(codes, Context(export, Settings(), key), code_pairs(codes, key), CompareOptions()).changes


def test_codes_that_changed_places_are_told_by_the_names_of_their_items(tmp_path):
    changes = swapped(tmp_path, LIVE)
    after = [LIVE[0], ["B", *LIVE[1][1:]], ["A", *LIVE[2][1:]], *LIVE[3:]]

    assert refresh(changes, later(tmp_path, LIVE), Settings()).changes.new_keys() == {"A": "B", "B": "A"}
    assert verify(changes, later(tmp_path, after), Settings()).done
    assert refresh(changes, later(tmp_path, after), Settings()).changes.items["action"].is_in(["none"]).all()


def test_codes_that_changed_places_between_items_of_one_name_are_held_back(tmp_path):
    live = with_cells(LIVE, A_name="Hive", B_name="Hive")
    live = [
        [code, "x", *cells[:2], "1"] if code != "sku" else [code, "group", *cells[:2], "pack"]
        for code, _, *cells in live
    ]
    changes = swapped(tmp_path, live)

    seen = refresh(changes, later(tmp_path, live), Settings())

    assert seen.changes.new_keys() == {}
    assert seen.changes.findings.filter(code="conflict", level="error")["key"].to_list() == ["A", "B"]
    assert not verify(changes, later(tmp_path, live), Settings()).done


def test_what_follows_a_code_change_is_held_back_with_it(tmp_path):
    live = [["sku", "name", "related"], ["A1", "Ant", ""], ["B1", "Bee", "A1"], ["C1", "Cat", "B1"]]
    export = read_table(write_table(tmp_path / "live.csv", live))
    codes = read_table(write_table(tmp_path / "codes.csv", [["old", "new"], ["A1", "A9"]]))
    key = Key(("sku",), explicit=True)
    changes = recode(codes, Context(export, Settings(), key), code_pairs(codes, key), CompareOptions()).changes
    fresh = later(tmp_path, [*live, ["A9", "Another", ""]])

    seen = refresh(changes, fresh, Settings()).changes

    assert seen.items["action"].is_in(["none"]).all()
    assert set(seen.findings.filter(code="conflict")["key"]) == {"A1", "B1"}


def test_codes_exchanged_in_a_sheet_are_code_changes_where_an_identity_is_settled(tmp_path):
    sheet = [LIVE[0], ["B", "1", "Hive", "11.00", "5"], ["A", "2", "Veil", "20.00", "6"], *LIVE[3:]]
    sheet[3] = [
        "D",
        "3",
        "Jar",
        "30.00",
        "7",
    ]  # C hands its code on to nobody, and takes that of D, which gets a new one
    sheet[4] = ["D9", "4", "Lid", "40.00", "8"]

    changes = made(tmp_path, sheet)

    assert changes.new_keys() == {"A": "B", "B": "A", "C": "D", "D": "D9"}
    assert cells_of(changes) == {("A", "price"): ("10.00", "11.00")}
    live = read_table(tmp_path / "live.csv")
    assert write_update(changes, live, tmp_path / "up").cells == 1


def test_a_code_that_another_item_keeps_is_not_taken_from_it(tmp_path):
    sheet = [LIVE[0], ["B", "1", "Hive", "10.00", "5"], *LIVE[3:]]  # B's own row is gone, and A's says B

    changes = made(tmp_path, sheet, options=CompareOptions(settings=Settings(identity="item_id")))

    assert (changes.new_keys(), cells_of(changes)) == ({}, {})
    assert "item_id of another (A)" in changes.findings.filter(code="two items")["message"][0]
    assert changes.counts["rejected"] == 1


@given(st.permutations("ABCDEX"), st.integers(0, 5), st.booleans())
@settings(max_examples=examples(20), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_after_chains_swaps_and_rings_variants_of_one_name_are_told_exactly(tmp_path, order, sent, imported):
    """Codes go to a random order of themselves and a free one; five variants of one name, told by their item_id."""
    old = [row[0] for row in LIVE[1:]]
    to = {code: new for code, new in zip(old, order, strict=False) if code != new}
    if not to:
        return
    live = [NAMES, *([code, number, "Veil", *cells] for code, number, _, *cells in LIVE[1:])]
    export = read_table(write_table(tmp_path / "live.csv", live))
    codes = read_table(write_table(tmp_path / "codes.csv", [["old", "new"], *to.items()]))
    key = Key(("sku",), explicit=True)
    changes = recode(codes, Context(export, Settings(), key), code_pairs(codes, key), CompareOptions()).changes
    after = [NAMES, *([to.get(code, code), *cells] for code, *cells in live[1:])]
    # Meanwhile stock is sold, which tells nothing of who is who.
    now = [[*row[:4], "1"] if row[0] != "sku" else row for row in (after if imported else live)]
    (tmp_path / "c.jsonl").unlink(missing_ok=True)
    save_changes(changes, tmp_path / "c.jsonl")
    changes = load_changes(tmp_path / "c.jsonl")

    seen = verify(changes, later(tmp_path, now), Settings())
    back = refresh(invert(changes), later(tmp_path, now), Settings())

    assert set(seen.changes["state"]) == ({"applied"} if imported else {"not applied"})
    assert seen.done is imported
    assert back.ambiguous == 0
    assert back.changes.new_keys() == ({new: code for code, new in to.items()} if imported else {})
    if not imported:
        assert seen.remaining.new_keys() == to


def test_an_undo_of_codes_that_cannot_be_told_apart_is_no_undo_at_all(tmp_path):
    live = [["sku", "name", "size"], ["A", "Veil", "S"], ["B", "Veil", "S"], ["C", "Jar", "S"]]
    changes = swapped(tmp_path, live)
    save_changes(changes, tmp_path / "c.jsonl")

    done = neat_delta("undo", "c.jsonl", "-o", "back", "--fresh", "live.csv", cwd=tmp_path)

    assert done.returncode == 2
    assert "cannot tell for 2 items whether their SKUs have changed" in done.stderr
    assert not (tmp_path / "back").exists()


def test_an_item_is_not_removed_though_a_colleague_filled_a_blank_of_it(tmp_path):
    live = [["sku", "name", "stock", "note"], ["A", "Veil", "3", ""], ["B", "Jar", "4", "x"]]
    changes = made(tmp_path, [live[0], live[2]], live, CompareOptions(add_new=True, delete_at_most=9))
    fresh = later(tmp_path, [live[0], ["A", "Veil", "3", "reserved for Anna"], live[2]])

    held = refresh(changes, fresh, Settings())
    all_the_same = refresh(changes, fresh, Settings(), ConflictPolicy("ours")).changes

    sides = held.conflicts.select("key", "field", "original", "shop")
    assert sides.rows() == [("A", "note", None, "reserved for Anna")]
    assert held.changes.keys_with_action("remove").is_empty()
    write_update(all_the_same, fresh, tmp_path / "up")
    back = import_into([live[0], live[2]], update_files(tmp_path / "up/undo"))
    assert ["A", "Veil", "3", "reserved for Anna"] in back


@pytest.mark.parametrize("price", ["hold", "ours", "shop"])
@pytest.mark.parametrize("stock", ["hold", "ours", "shop"])
def test_a_deletion_has_one_fate_whatever_is_decided_of_its_cells(tmp_path, price, stock):
    """It goes if all of its cells may, and what is to be answered goes before what stays."""
    changes = made(tmp_path, [row for row in LIVE if row[0] != "A"])
    fresh = later(tmp_path, with_cells(LIVE, A_price="11.00", A_stock="4"))

    seen = refresh(changes, fresh, Settings(), ConflictPolicy(by_field={"price": price, "stock": stock})).changes

    fate = next(fate for fate in ("hold", "shop", "ours") if fate in (price, stock))
    assert seen.keys_with_action("remove")["key"].to_list() == (["A"] if fate == "ours" else [])
    assert (len(seen.cells) > 0) == (fate == "ours")
    assert seen.findings.filter(key="A")["level"].to_list() == ["error" if fate == "hold" else "note"]


def test_an_item_that_is_gone_is_told_whether_its_cells_or_its_code_should_change(tmp_path):
    changes = made(tmp_path, [LIVE[0], ["Z", "1", "Hive", "10.00", "5"], ["B", "2", "Veil", "21.00", "6"], *LIVE[3:]])
    fresh = later(tmp_path, [LIVE[0], *LIVE[3:]])

    seen, sent = refresh(changes, fresh, Settings()), verify(changes, fresh, Settings())

    assert (seen.missing, cells_of(seen.changes), seen.changes.new_keys()) == (2, {}, {})
    assert seen.changes.findings.select("key", "level").rows() == [("A", "error"), ("B", "error")]
    assert sent.changes.select("key", "state").rows() == [("A", "item missing"), ("B", "item missing")]


@pytest.mark.parametrize("policy", ["hold", "ours", "shop"])
def test_of_an_item_whose_new_code_another_took_nothing_is_sent_nor_asked(tmp_path, policy):
    changes = made(tmp_path, [LIVE[0], ["Z", "1", "Hive", "12.00", "8"], *LIVE[2:]])
    other = ["Z", "9", "Other", "1.00", "1"]
    fresh = later(tmp_path, [*with_cells(LIVE, A_price="11.00", A_stock="4"), other])

    seen = refresh(changes, fresh, SELLS, ConflictPolicy(policy))

    assert (changes.new_keys(), len(changes.cells)) == ({"A": "Z"}, 2)
    assert (cells_of(seen.changes), seen.changes.new_keys(), len(seen.conflicts), seen.delta_cells) == ({}, {}, 0, 0)
    assert [(row["key"], row["level"]) for row in seen.changes.findings.iter_rows(named=True)] == [("A", "error")]


@pytest.mark.parametrize(
    ("was", "ours", "now", "sent"),
    [("30", "", "5", None), ("5", "", "8", None), ("", "9", "8", None), ("5", "8", "", None), ("5", "8", "4", "7"),
     ("5", "8", "5", "8"), ("5", "8", "8", None)],
)  # fmt: skip
def test_a_difference_needs_a_number_on_all_three_sides(tmp_path, was, ours, now, sent):
    live = with_cells(LIVE, A_stock=was)
    changes = made(tmp_path, with_cells(live, A_stock=ours), live, CompareOptions(clear_blanks=True))

    seen = refresh(changes, later(tmp_path, with_cells(live, A_stock=now)), SELLS)

    assert cells_of(seen.changes).get(("A", "stock")) == (None if sent is None else (now or None, sent))
    assert len(seen.conflicts) == (sent is None and ours != now)


def test_a_new_item_that_is_there_by_now_is_not_added_up(tmp_path):
    changes = made(tmp_path, [*LIVE, ["N", "9", "New", "1.00", "119"]])

    seen = refresh(changes, later(tmp_path, [*LIVE, ["N", "9", "New", "1.00", "257"]]), SELLS)

    assert cells_of(seen.changes) == {}
    assert seen.conflicts.select("key", "field").rows() == [("N", "stock")]


CODES, FIELDS = ["A", "B", "C", "D"], ["item_id", "name", "price", "stock"]
values = st.sampled_from(["", "x", "y", "z"])
tables_of = st.dictionaries(st.sampled_from(CODES), st.lists(values, min_size=4, max_size=4), min_size=1)


def reference_merge(base, ours, edited):
    """What a shop holds in which colleagues made ``theirs`` of ``base``, and we ``ours``: where both moved, theirs.

    An item that we take out goes only if nobody has touched it; one that they took out stays out.
    """
    merged = {}
    for code in dict.fromkeys([*edited, *ours]):
        was, mine, there = (side.get(code) for side in (base, ours, edited))
        if there is None:
            if was is None and mine is not None:
                merged[code] = mine
        elif mine is None:
            if was is None or there != was:
                merged[code] = there
        else:
            known = was or [""] * len(there)
            merged[code] = [new if now == old else now for old, new, now in zip(known, mine, there, strict=True)]
    return merged


@given(tables_of, tables_of, tables_of)
@example({"A": [""] * 4}, {"B": [""] * 4}, {"A": [""] * 4})
@settings(max_examples=examples(30), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_refresh_is_a_three_way_merge_with_blanks_new_items_and_deletions(tmp_path_factory, base, ours, theirs):
    folder = tmp_path_factory.mktemp("merge")
    kinds = dict.fromkeys(FIELDS, "text")
    tables = {
        name: [["sku", *FIELDS], *([code, *cells] for code, cells in side.items())]
        for name, side in (("live", base), ("edited", ours), ("fresh", theirs))
    }
    live, edited, fresh = (write_table(folder / f"{name}.csv", table) for name, table in tables.items())
    options = CompareOptions(add_new=True, delete_at_most=9, clear_blanks=True, types=kinds)
    changes = compare(*read_pair(live, edited), options).changes
    text = Settings(fields={name: FieldSettings(type="text") for name in FIELDS})

    seen = refresh(changes, read_table(fresh), text)
    write_update(seen.changes, read_table(fresh), folder / "up", text)

    got = tables["fresh"]
    if (folder / "up").exists():
        got = import_into(got, update_files(folder / "up"))
    assert {code: cells for code, *cells in got[1:]} == reference_merge(base, ours, theirs)


@pytest.mark.parametrize(("there", "goes"), [("10.0", True), ("10,00", True), ("10.01", False)])
def test_an_item_goes_if_the_shop_has_only_written_its_values_in_another_form(tmp_path, there, goes):
    changes = made(tmp_path, [row for row in LIVE if row[0] != "A"])
    fresh = later(tmp_path, with_cells(LIVE, A_price=there))

    left = refresh(changes, fresh, SELLS).changes
    assert (left.items.filter(action="remove")["key"].to_list() == ["A"]) == goes


@pytest.mark.parametrize(
    ("ours", "there", "sent", "short"),
    [
        ("5", "4", {}, 0),
        ("7", "0", {("A", "stock"): ("0", "2")}, 0),
        ("3", "2", {("A", "stock"): ("2", "0")}, 0),
        ("3", "1", {("A", "stock"): ("1", "0")}, 1),
        ("3", "0", {}, 1),
        ("8", "6", {("A", "stock"): ("6", "9")}, 0),
    ],
)
def test_a_difference_is_added_to_what_is_there_also_where_one_of_them_is_zero(tmp_path, ours, there, sent, short):
    changes = made(tmp_path, with_cells(LIVE, A_stock=ours))
    left = refresh(changes, later(tmp_path, with_cells(LIVE, A_stock=there)), SELLS).changes

    assert cells_of(left) == sent
    assert len(left.findings.filter(code="below zero")) == short


@pytest.mark.parametrize(
    ("was", "ours", "there", "sent"),
    [
        ("2.137", "2.237", "2.100", "2.200"),  # perhaps thousands: 2.2 would be another number
        ("5.50", "6.50", "7.00", "8.00"),
        ("5.5", "6", "7", "7.5"),
    ],
)
def test_a_sum_has_the_decimals_that_its_parts_have(tmp_path, was, ours, there, sent):
    changes = made(tmp_path, with_cells(LIVE, A_stock=ours), live=with_cells(LIVE, A_stock=was))
    left = refresh(changes, later(tmp_path, with_cells(LIVE, A_stock=there)), SELLS).changes

    assert cells_of(left)["A", "stock"] == (there, sent)


def test_an_undo_puts_back_all_that_a_shop_that_ignores_blanks_can_take(tmp_path):
    live = [["sku", "name", "price"], ["A", "a", "1.00"], ["B", "", "2.00"], ["C", "c", "3.00"]]
    sent = [live[0], ["A", "a", "1.10"], ["B", "bee", "2.20"], ["C", "c", "3.30"]]
    for name, table in {"live": live, "edited": sent, "after": sent}.items():
        write_table(tmp_path / f"{name}.csv", table)
    (tmp_path / "catalogue.toml").write_text('[import]\nblank = "leaves"\n')
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.jsonl", "--write", "up", cwd=tmp_path)

    done = neat_delta("undo", "c.jsonl", "--fresh", "after.csv", "-o", "back", cwd=tmp_path)

    assert done.returncode == 1, done.stderr
    assert "not put back: it was blank before" in " ".join(done.stdout.split())
    assert read_rows(tmp_path / "back" / "01-changes.csv") == [
        ["sku", "price"],
        ["A", "1.00"],
        ["B", "2.00"],
        ["C", "3.00"],
    ]

import pytest

from helpers import write_table
from neat_delta.base.errors import AmbiguousKey, InvalidOption
from neat_delta.matching import choose_key, match_columns, match_rows
from neat_delta.reading import read_pair

HEADER = ["sku", "name", "price"]


def paired(tmp_path, live, edited, *told, edited_delimiter=","):
    a = write_table(tmp_path / "live.csv", [HEADER, *live])
    b = write_table(tmp_path / "edited.csv", [HEADER, *edited], delimiter=edited_delimiter)
    ours, theirs = read_pair(a, b)
    shared = match_columns(ours, theirs).shared
    return match_rows(ours, theirs, choose_key(ours, shared, told), shared)


LIVE = [["A", "a", "1"], ["B", "b", "2"], ["C", "c", "3"]]


# In one form equal lines are settled unread; in another every row is looked at. Both ways must agree.
@pytest.fixture(params=[",", ";"], ids=["one form", "two forms"])
def delimiter(request):
    return request.param


def test_rows_find_their_item_wherever_they_stand(tmp_path, delimiter):
    found = paired(tmp_path, LIVE, [["C", "c", "4"], ["B", "b", "2"], ["D", "d", "1"]], edited_delimiter=delimiter)

    assert (2, 0) in found.pairs.rows()
    assert found.new.to_list() == [2]
    assert found.missing.to_list() == [0]
    assert len(found.identical) + len(found.pairs) == 2


def test_a_repeated_row_counts_once_and_rivals_not_at_all(tmp_path, delimiter):
    edited = [["A", "a", "1"], ["A", "a", "1"], ["B", "b", "2"], ["B", "b", "9"], ["C", "x", "3"], ["C", "x", "3"]]

    found = paired(tmp_path, LIVE, edited, edited_delimiter=delimiter)

    assert sorted(found.exact_duplicates) == [1, 5]
    assert sorted(found.conflicting_duplicates["edited"]) == [2, 3]
    assert {live for live, _ in found.pairs.rows()} | set(found.identical) == {0, 2}
    assert found.missing.is_empty()


def test_repeated_live_codes_are_refused_on_both_sides(tmp_path, delimiter):
    live = [*LIVE, ["B", "bb", "5"], ["", "nameless", "1"]]

    found = paired(tmp_path, live, LIVE, "sku", edited_delimiter=delimiter)

    assert sorted(found.live_duplicates["live"]) == [1, 3]
    assert found.ambiguous["edited"].to_list() == [1]
    assert found.live_missing_key.to_list() == [4]
    assert len(found.identical) + len(found.pairs) == 2


def test_a_key_may_have_several_fields(tmp_path, delimiter):
    live = [["A", "x", "1"], ["A", "y", "2"]]

    found = paired(tmp_path, live, [["A", "y", "3"]], "SKU", "name", edited_delimiter=delimiter)

    assert found.pairs.rows() == [(1, 0)]
    assert found.missing.to_list() == [0]


def test_a_key_that_does_not_name_items_is_a_question(tmp_path):
    with pytest.raises(AmbiguousKey, match=r"line 5, column sku.*duplicate in 2 rows.*price \(such as 1\)") as found:
        paired(tmp_path, [*LIVE, ["D", "d", "4"], ["D", "d", "5"]], LIVE)

    assert found.value.line == 5


def test_no_column_named_as_the_code_is_a_question_with_candidates(tmp_path):
    a = write_table(tmp_path / "live.csv", [["thing", "n"], ["r1", "x"], ["r2", "x"]])
    ours, edited = read_pair(a, a)

    with pytest.raises(AmbiguousKey, match=r"thing \(such as r1\)"):
        choose_key(ours, match_columns(ours, edited).shared)
    with pytest.raises(InvalidOption, match="not in both files"):
        choose_key(ours, ("thing", "n"), ["sku"])


def test_a_list_without_our_code_column_is_told_how_to_name_it(tmp_path):
    live = write_table(tmp_path / "live.csv", [["SKU", "pack", "maker no"], ["A", "6", "m1"], ["B", "6", ""]])
    ours, edited = read_pair(live, write_table(tmp_path / "file.csv", [["maker no", "pack"], ["m1", "7"]]))

    with pytest.raises(AmbiguousKey, match="no SKU column found") as found:
        choose_key(ours, match_columns(ours, edited).shared)

    assert found.value.data == {"candidates": {}, "elsewhere": "SKU", "naming": ("maker_no",)}

import pytest

from neat_delta.base.errors import InvalidInput
from neat_delta.tables import field_name, parse_header


@pytest.mark.parametrize(
    ("column", "name"),
    [
        ("Item No.", "item_no"), ("  PRICE (net) ", "price_net"), ("Größe", "grösse"), ("tags +", "tags+"),
        ("Tags \u2212", "tags-"), ("C++", "c"), ("Price (-)", "price"),
        ("+", "plus_sign"), ("%", "percent_sign"), ("*", "asterisk"), (" ", ""), ("a_b", "a_b"),
    ],
)  # fmt: skip
def test_columns_are_fields_by_their_words_and_a_sign_behind_them(column, name):
    assert field_name(column) == name


def test_signs_make_columns_of_their_own_and_the_same_words_do_not():
    assert [field.name for field in parse_header(["tags", "tags +", "tags -"], "x.csv")] == ["tags", "tags+", "tags-"]
    with pytest.raises(InvalidInput, match="duplicate column name"):
        parse_header(["Item no", "Item No."], "x.csv")

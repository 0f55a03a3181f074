"""Values that must be known, or may stand only once."""

import pytest

from neat_delta.checks import run_checks
from neat_delta.checks.values import nearest
from neat_delta.tables.settings import FieldSettings, Settings


def cell(name, value, at=8):
    def edit(rows):
        rows[at][name] = value

    return edit


@pytest.mark.parametrize(
    ("value", "known"),
    [
        ("dark  Oak", "Dark oak"), ("Dárk oak", "Dark oak"), ("Dark oka", "Dark oak"), ("10cm", "10 cm"),
        ("1O cm", "10 cm"), ("red", None), ("Bark oak", "Dark oak"), ("Light oak", None),
    ],
)  # fmt: skip
def test_the_nearest_known_value_is_offered(value, known):
    assert nearest(value, ["Dark oak", "10 cm", "Rod"]) == known


@pytest.mark.parametrize(
    ("edit", "settled", "check", "said"),
    [
        (cell("category", "Hives/Bodys"), {}, "unknown category", "did you mean 'Hives/Bodies'?"),
        (
            cell("category", "Hives"),
            {"category": FieldSettings(lowest=True)},
            "unknown category",
            "choose a subcategory; items are in the lowest level only",
        ),
        (cell("gtin", "9520000000011"), {}, "not unique", "K-0001 has it too"),
        (cell("bin", "A1-1"), {"bin": FieldSettings(unique=True)}, "not unique", "K-0001 has it too"),
        (cell("maker", "combwick"), {}, "new spelling", "other items use Combwick"),
        (cell("picture", "my hive.jpg"), {}, "image name", "a space"),
    ],
)
def test_a_value_that_is_not_known_or_not_alone_is_found(tried, edit, settled, check, said):
    found = tried(edit, Settings(fields=settled)).changes.findings.filter(code=check)

    assert found["key"].to_list() == ["K-0008"]
    assert said in found["message"][0]


def test_categories_that_are_settled_or_above_used_ones_are_known(tried):
    known = Settings(known={"category": ("Hives/Bodies/Small",)})

    assert tried(cell("category", "Hives/Bodies/Small"), known).changes.findings.is_empty()
    assert tried(cell("category", "Hives")).changes.findings.is_empty()


def test_a_barcode_may_move_from_one_item_to_another(tried):
    def edit(rows):
        rows[8]["gtin"], rows[1]["gtin"] = rows[1]["gtin"], ""

    assert tried(edit, clear_blanks=True).changes.findings.is_empty()


def test_pictures_that_are_not_there_are_stopped(tried):
    seen = tried(cell("picture", "new.jpg"))
    found = run_checks(seen.changes, seen.live, Settings(), images=frozenset({"New.jpg"}))

    assert found.select("code", "value").rows() == [("image missing", "new.jpg")]
    assert run_checks(seen.changes, seen.live, Settings(), images=frozenset({"new.jpg"})).is_empty()

import pytest

from neat_delta.base.errors import InvalidInput, InvalidSettings
from neat_delta.tables.read_options import ReadOptions
from neat_delta.tables.settings import FieldSettings, ImportConfig, Settings
from neat_delta.tables.settings_file import load_settings

GOOD = """\
# remarks are free
key = ["sku", "location"]

[fields.price]
column = "Price"
aliases = ["Preis", "Dealer net"]
type = "price"

[fields.tax_class]
locked = true
blank = "clear"
"""


def load(tmp_path, text):
    path = tmp_path / "catalogue.toml"
    path.write_text(text, "utf-8")
    return load_settings(path)


WHOLE = """\
key = ["sku"]
[fields.colour]
allowed = ["red", "blue"]
required = true
length = 20
[fields.added]
type = "date"
date = "DD.MM.YYYY"
[fields.active]
yes = "Y"
no = "N"
[fields.price]
decimals = 2
[export]
delimiter = "semicolon"
encoding = "windows-1252"
decimal = ","
header_line = 3
[import]
delimiter = "tab"
blank = "leaves"
marker = "(none)"
columns = ["Item type"]
rows = 500
bytes = 100000
"""


def test_rules_and_the_forms_of_export_and_import_are_read(tmp_path):
    found = load(tmp_path, WHOLE)

    assert found.field("colour") == FieldSettings(allowed=("red", "blue"), required=True, length=20)
    assert found.field("added").format_overrides.date == "%d.%m.%Y"
    assert (
        found.field("active").format_overrides.yes,
        found.field("active").format_overrides.no,
        found.field("price").format_overrides.decimals,
    ) == ("Y", "N", 2)
    assert found.export == ReadOptions(";", "cp1252", ",", 3)
    assert found.imports == ImportConfig("\t", None, None, "leaves", "(none)", ("item_type",), 500, 100000)
    assert found.field("nothing") == FieldSettings()


@pytest.mark.parametrize(
    ("old", "new", "line", "reason"),
    [
        ('date = "DD.MM.YYYY"', 'date = "D.M.Y"', 8, "not a valid date. Allowed: YYYY-MM-DD"),
        ('no = "N"', "", 10, "yes and no go together"),
        ("decimals = 2", "decimals = true", 13, "decimals must be a whole number"),
        ("length = 20", "length = 0", 5, "length must be 1 or more"),
        (
            'delimiter = "semicolon"',
            'delimiter = ";"',
            15,
            "not a valid delimiter. Allowed: comma, semicolon, tab, pipe",
        ),
        ('encoding = "windows-1252"', 'encoding = "latin-99"', 16, "unknown encoding"),
        ('blank = "leaves"', 'blank = "leave"', 21, "not a valid blank. Allowed: empties, leaves"),
        ('marker = "(none)"', 'marker = ""', 22, "a marker must not be empty"),
        ("rows = 500", "rows = 1", 24, "rows must be 2 or more"),
        ("rows = 500", "row = 5", 24, "there is no setting 'row'. Did you mean rows?"),
    ],
)
def test_what_is_wrong_in_any_table_is_named_with_its_line(tmp_path, old, new, line, reason):
    with pytest.raises(InvalidInput) as found:
        load(tmp_path, WHOLE.replace(old, new))

    assert reason in str(found.value)
    assert found.value.line == line


def test_a_mark_of_utf_8_in_front_is_passed_over(tmp_path):
    (tmp_path / "catalogue.toml").write_text('key = ["sku"]', "utf-8-sig")

    assert load_settings(tmp_path / "catalogue.toml").key == ("sku",)


def test_settings_are_read(tmp_path):
    found = load(tmp_path, GOOD)

    assert found.key == ("sku", "location")
    assert found.fields == {
        "price": FieldSettings("Price", ("Preis", "Dealer net"), "price"),
        "tax_class": FieldSettings(locked=True, blank="clear"),
    }
    assert found.names() == {"price": "price", "preis": "price", "dealer_net": "price"}
    assert load(tmp_path, "") == Settings(path=tmp_path / "catalogue.toml")


@pytest.mark.parametrize(
    ("old", "new", "line", "reason"),
    [
        ('type = "price"', 'type = "cash"', 7, "not a valid type. Allowed: barcode, category, choice"),
        ('type = "price"', 'tpye = "price"', 7, "there is no setting 'tpye'. Did you mean type?"),
        ('type = "price"', "kind = money", 7, "not a valid TOML file"),
        ("locked = true", 'locked = "yes"', 10, "locked must be true or false"),
        ('blank = "clear"', 'blank = "zero"', 11, "not a valid blank. Allowed: leave, clear"),
        ('key = ["sku", "location"]', "key = 3", 2, "key must be a list of texts"),
        ('key = ["sku", "location"]', 'key = ""', 2, "key must be a list of texts"),
        ('key = ["sku", "location"]', "money = 3", 2, "money must be a table. Write its settings after a line"),
        ('key = ["sku", "location"]', 'checks = { conditions = ["a < b"] }', 2, 'be a table. Write { must = "…" }'),
        ('key = ["sku", "location"]', "key = [3]", 2, "key must be a list of texts"),
        ('key = ["sku", "location"]', "keys = 3", 2, "Did you mean key?"),
        ('["Preis", "Dealer net"]', '["tax class"]', None, "is already mapped to"),
        ("locked = true", 'labels = { a = "x", b = "X" }', 10, "two values have the same label"),
        ("locked = true", 'labels = { a = "b", b = "c" }', 10, "the label of 'a' is another value"),
        ("locked = true", 'separator = ""', 10, "must not be empty"),
        ("[fields.price]", '[fields."Price €"]', 4, "field names are written like 'price'"),
    ],
)
def test_what_is_wrong_is_named_with_its_line_and_what_is_allowed(tmp_path, old, new, line, reason):
    with pytest.raises(InvalidInput) as found:
        load(tmp_path, GOOD.replace(old, new))

    assert reason in str(found.value)
    assert line is None or found.value.line == line


def test_all_mistakes_of_a_file_are_told_at_once_in_the_order_of_their_lines(tmp_path):
    wrong = WHOLE.replace("length = 20", "lenght = 20").replace("rows = 500", "rows = 1").replace('no = "N"\n', "")

    with pytest.raises(InvalidSettings) as found:
        load(tmp_path, wrong + "[profiles.waxwendle]\nsheet = 3\n[profiles.waxwendle.values.stock]\nmain = 7\n")

    told = [(mistake.line, mistake.column) for mistake in found.value.mistakes]
    assert told == [
        (5, "fields.colour.lenght"),
        (10, "fields.active.yes"),
        (23, "import.rows"),
        (26, "profiles.waxwendle.sheet"),
        (28, "profiles.waxwendle.values.stock.main"),
    ]
    assert str(found.value).count("\n") == 4

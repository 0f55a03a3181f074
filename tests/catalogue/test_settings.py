import pytest

from neat_delta.catalogue.settings import FieldSettings, Settings
from neat_delta.catalogue.settingsfile import load_settings
from neat_delta.errors import Unreadable

GOOD = """\
# remarks are free
key = ["sku", "location"]

[fields.price]
column = "Price"
aliases = ["Preis", "Dealer net"]
kind = "money"

[fields.tax_class]
locked = true
blank = "clear"
"""


def load(tmp_path, text):
    path = tmp_path / "catalogue.toml"
    path.write_text(text, "utf-8")
    return load_settings(path)


def test_settings_are_read(tmp_path):
    found = load(tmp_path, GOOD)

    assert found.key == ("sku", "location")
    assert found.fields == {
        "price": FieldSettings("Price", ("Preis", "Dealer net"), "money"),
        "tax_class": FieldSettings(locked=True, blank="clear"),
    }
    assert found.names() == {"price": "price", "preis": "price", "dealer_net": "price"}
    assert load(tmp_path, "") == Settings(path=tmp_path / "catalogue.toml")


@pytest.mark.parametrize(
    ("old", "new", "line", "reason"),
    [
        ('kind = "money"', 'kind = "cash"', 7, "no such kind. Allowed: choice, code, count"),
        ('kind = "money"', 'knid = "money"', 7, "there is no setting 'knid'. Did you mean kind?"),
        ('kind = "money"', "kind = money", 7, "this is no TOML"),
        ("locked = true", 'locked = "yes"', 10, "locked must be true or false"),
        ('blank = "clear"', 'blank = "zero"', 11, "no such blank. Allowed: leave, clear"),
        ('key = ["sku", "location"]', 'key = "sku"', 2, "key must be a list of texts"),
        ('key = ["sku", "location"]', "key = [3]", 2, "key must be a list of texts"),
        ('key = ["sku", "location"]', "keys = 3", 2, "Did you mean key?"),
        ('["Preis", "Dealer net"]', '["tax class"]', None, "already stands for"),
        ("locked = true", 'labels = { a = "x", b = "X" }', 10, "two values have the same label"),
        ("locked = true", 'labels = { a = "b", b = "c" }', 10, "the label of 'a' is another value"),
        ("locked = true", 'separator = ""', 10, "must not be empty"),
        ("[fields.price]", '[fields."Price €"]', 4, "field names are written like 'price'"),
    ],
)
def test_what_is_wrong_is_named_with_its_line_and_what_is_allowed(tmp_path, old, new, line, reason):
    with pytest.raises(Unreadable) as found:
        load(tmp_path, GOOD.replace(old, new))

    assert reason in str(found.value)
    assert line is None or found.value.line == line

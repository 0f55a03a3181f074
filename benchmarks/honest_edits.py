"""Bulk edits that people make on purpose, and that look a little like accidents."""

from __future__ import annotations

import re
from decimal import Decimal
from typing import TYPE_CHECKING

from edits import Edit, Row, block, number, some

if TYPE_CHECKING:
    import random
    from collections.abc import Callable


def honest(name: str, change: Callable[[str], str]) -> Edit:
    """An honest edit of a whole column."""

    def edit(rows: list[Row], chance: random.Random) -> None:
        for row in rows:
            if row[name]:
                row[name] = change(row[name])

    return edit


def shuffled(rows: list[Row], chance: random.Random) -> None:
    """The whole sheet is sorted another way."""
    chance.shuffle(rows)


def new_bins(rows: list[Row], chance: random.Random) -> None:
    """A shelf gets new numbers, one after another."""
    for at, row in enumerate(block(rows, chance), start=chance.randrange(100)):
        row["bin"] = f"G7-{at}"


def counted(rows: list[Row], chance: random.Random) -> None:
    """Stock is counted anew."""
    for row in rows:
        row["stock_main"] = str(max(0, int(row["stock_main"] or 0) + chance.randrange(-3, 4)))


def off(rows: list[Row], chance: random.Random) -> None:
    """A block of items goes off sale."""
    for row in block(rows, chance, 30):
        row["active"] = "0"


def one_maker(rows: list[Row], chance: random.Random) -> None:
    """One maker's prices rise, and so do its costs."""
    maker = chance.choice(rows)["maker"]
    for row in rows:
        if row["maker"] == maker:
            row["price"], row["cost"] = number("1.04")(row["price"]), number("1.03")(row["cost"])


def retouched(rows: list[Row], chance: random.Random) -> None:
    """Some names and descriptions are written better."""
    for row in chance.sample(rows, 40):
        row["name"], row["description"] = row["name"] + ", new", row["description"].replace("Good value", "Fair value")


def renamed(name: str) -> Edit:
    """A maker, category or colour gets another name in all its items."""

    def edit(rows: list[Row], chance: random.Random) -> None:
        old = chance.choice(sorted({row[name] for row in rows if row[name]}))
        for row in rows:
            if row[name] == old:
                row[name] = f"{old} & Co."

    return edit


def reworded(rows: list[Row], chance: random.Random) -> None:
    """A word is replaced in the names, where it is a word."""
    word = chance.choice(["Straight", "Waisted", "shallow"])
    for row in rows:
        row["name"] = row["name"].replace(word, "Slim")


def toggled(rows: list[Row], chance: random.Random) -> None:
    """Some items go off sale, others come back."""
    for row in chance.sample(rows, 40):
        row["active"] = "1" if row["active"] == "0" else "0"


def recoloured(rows: list[Row], chance: random.Random) -> None:
    """Some items get another colour and maker of those that there are."""
    colours = sorted({row["colour"] for row in rows if row["colour"]})
    for row in chance.sample([row for row in rows if row["colour"]], 25):
        row["colour"] = chance.choice(colours)


def recategorised(rows: list[Row], chance: random.Random) -> None:
    """A block of items moves to another category."""
    to = chance.choice(rows)["category"]
    for row in block(rows, chance, 25):
        row["category"] = to


def copied_texts(rows: list[Row], chance: random.Random) -> None:
    """Some items get the description and the picture of a similar one."""
    for row in chance.sample(rows[1:], 6):
        other = rows[rows.index(row) - 1]
        row["description"], row["picture_1"] = other["description"], other["picture_1"]


def endings(rows: list[Row], chance: random.Random) -> None:
    """All prices get another ending."""
    for row in rows:
        row["price"] = f"{int(Decimal(row['price']))}.99"


def a_year_later(rows: list[Row], chance: random.Random) -> None:
    """Dates of one year move to the next."""
    for row in rows:
        row["added"] = row["added"].replace("2025-", "2026-")


def priced_by_cost(rows: list[Row], chance: random.Random) -> None:
    """Prices are worked out anew from the costs."""
    for row in rows:
        if row["cost"]:
            row["price"] = f"{Decimal(row['cost']) * Decimal('1.7'):.2f}"


def some_of_each(rows: list[Row], chance: random.Random) -> None:
    """Prices, costs, stock and flags of neighbouring rows are edited."""
    for row in block(rows, chance, 30):
        row["price"] = number(f"1.{chance.randrange(10, 90)}")(row["price"])
        row["stock_main"] = str(chance.randrange(0, 60))
        row["active"] = str(chance.randrange(0, 2))


def a_step_up(rows: list[Row], chance: random.Random) -> None:
    """Items of a ladder of prices and costs rise by one step of it; all by the same amount."""
    for row in rows:
        row["price"], row["cost"] = f"{Decimal(row['price']) + 1:.2f}", f"{Decimal(row['cost']) + Decimal('0.5'):.2f}"


def one_stock(rows: list[Row], chance: random.Random) -> None:
    """A block of items is sold out, another one comes in by dozens."""
    for row in block(rows, chance, 20):
        row["stock_main"] = "0"
    for row in block(rows, chance, 20):
        row["stock_barn"] = str(12 * chance.randrange(1, 5))


def sizes_in_a_row(rows: list[Row], chance: random.Random) -> None:
    """Weights typed as a series of sizes, stock as a run of sizes."""
    for at, row in enumerate(block(rows, chance, 10)):
        row["weight_kg"], row["stock_main"] = f"{1 + at * 0.5:.3f}", str(10 + at)


def price_ladder(step: str) -> Edit:
    """The sizes of some products get prices in equal steps."""

    def edit(rows: list[Row], chance: random.Random) -> None:
        families: dict[str, list[Row]] = {}
        for row in rows:
            families.setdefault(row["name"].rpartition(",")[0], []).append(row)
        sizes = [family for name, family in families.items() if name and 3 <= len(family) <= 12]
        prices = [[Decimal(row["price"]) for row in family] for family in sizes]
        alike = [family for family, each in zip(sizes, prices, strict=True) if max(each) < 2 * min(each)]
        for family in chance.sample(alike, 6):
            least = max(int(Decimal(row["price"])) for row in family)
            for at, row in enumerate(family, start=1):
                row["price"] = f"{least + at * Decimal(step):.2f}"
                row["sale_price"] = row["sale_price"] and "(empty)"

    return edit


def fed(rows: list[Row], chance: random.Random) -> None:
    """All stock comes anew from another place: few of most, none of many."""
    for row in rows:
        row["stock_main"] = str(max(0, chance.randrange(-4, 9)))


def rounded_to(name: str, step: str, rounding: str = "ROUND_HALF_UP") -> Edit:
    """A column is rounded to steps."""

    def edit(rows: list[Row], chance: random.Random) -> None:
        for row in rows:
            if row[name]:
                places = len(row[name].partition(".")[2])
                steps = (Decimal(row[name]) / Decimal(step)).to_integral_value(rounding)
                row[name] = f"{max(steps, Decimal(1)) * Decimal(step):.{places}f}"

    return edit


def cut_on_purpose(rows: list[Row], chance: random.Random) -> None:
    """Long texts are cut to 150 characters, at a word, with three dots."""
    for row in rows:
        row["description"] = row["description"] if len(row["description"]) < 40 else row["description"][:36] + " …"


def exchanged_bins(rows: list[Row], chance: random.Random) -> None:
    """Some items change shelves with others."""
    for one, other in zip(rows[10:40:2], rows[11:40:2], strict=False):
        one["bin"], other["bin"] = other["bin"], one["bin"]


def swapped_stock(rows: list[Row], chance: random.Random) -> None:
    """All stock is moved from one place to the other."""
    for row in rows:
        row["stock_main"], row["stock_barn"] = row["stock_barn"], row["stock_main"]


def numbered_pictures(rows: list[Row], chance: random.Random) -> None:
    """Pictures get names that count."""
    for at, row in enumerate(block(rows, chance, 20), start=1):
        row["picture_1"] = f"new-{at:03}.jpg"


def new_codes(rows: list[Row], chance: random.Random) -> None:
    """A supplier numbers his codes anew, one after another."""
    for at, row in enumerate(block(rows, chance, 15), start=4100):
        row["supplier_code"] = f"QX{at}"


def same_price(rows: list[Row], chance: random.Random) -> None:
    """All items of a name get one price, on purpose: those of one category and maker."""
    one = chance.choice(rows)
    for row in rows:
        if row["category"] == one["category"] and row["maker"] == one["maker"]:
            row["price"], row["sale_price"] = one["price"], row["sale_price"] and "(empty)"


def same_text(rows: list[Row], chance: random.Random) -> None:
    """A block gets one text for all its items."""
    for row in block(rows, chance, 15):
        row["description"] = "Sold as a set. See the picture."


def same_code(rows: list[Row], chance: random.Random) -> None:
    """A block moves to one bin."""
    for row in block(rows, chance, 12):
        row["bin"] = "H1-01"


def order_of_stock(rows: list[Row], chance: random.Random) -> None:
    """Stock of blocks is set to the same number."""
    for row in block(rows, chance, 25):
        row["stock_main"] = "100"


def emptied(name: str, count: int) -> Edit:
    """Some cells are emptied on purpose."""

    def edit(rows: list[Row], chance: random.Random) -> None:
        for row in some(rows, chance, name, count):
            row[name] = "(empty)"

    return edit


def by_tag(rows: list[Row], chance: random.Random) -> None:
    """A tag is added to some items, another one taken from others."""
    for row in chance.sample(rows, 30):
        row["tags"] = "|".join(sorted({*filter(None, row["tags"].split("|")), "sale"}))


def replaced_word(name: str, old: str, new: str) -> Edit:
    """A whole word is replaced in one column."""

    def edit(rows: list[Row], chance: random.Random) -> None:
        for row in rows:
            row[name] = re.sub(rf"\b{old}\b", new, row[name])

    return edit


def sale(rows: list[Row], chance: random.Random) -> None:
    """Sale prices of a fifth off for some items."""
    for row in chance.sample(rows, 60):
        now = Decimal(row["price"]) * Decimal("0.8")
        if not row["cost"] or now > Decimal(row["cost"]):
            row["sale_price"] = f"{now:.2f}"


def weighed_again(rows: list[Row], chance: random.Random) -> None:
    """A block of items is weighed to 50 grams."""
    for row in block(rows, chance, 30):
        row["weight_kg"] = f"{round(float(row['weight_kg'] or 1) * 20) / 20 + 0.05:.3f}"


HONEST: dict[str, Edit] = {
    "sizes and stock in a series": sizes_in_a_row,
    "a ladder of prices, steps of 1": price_ladder("1"),
    "a ladder of prices, steps of 5": price_ladder("5"),
    "a ladder of prices, steps of 0.50": price_ladder("0.5"),
    "prices to whole euros": rounded_to("price", "1"),
    "prices to whole euros, upwards": rounded_to("price", "1", "ROUND_CEILING"),
    "prices to ten cents": rounded_to("price", "0.1"),
    "costs to five cents": rounded_to("cost", "0.05"),
    "weights to ten grams": rounded_to("weight_kg", "0.01"),
    "weights to 100 grams": rounded_to("weight_kg", "0.1"),
    "a block weighed again": weighed_again,
    "kilograms to grams": honest("weight_kg", lambda text: f"{Decimal(text) * 1000:.0f}"),
    "texts cut on purpose": cut_on_purpose,
    "bins exchanged in pairs": exchanged_bins,
    "stock moved from place to place": swapped_stock,
    "pictures numbered": numbered_pictures,
    "a supplier's new codes": new_codes,
    "one price for a group": same_price,
    "one text for a block": same_text,
    "one bin for a block": same_code,
    "stock of 100 for a block": order_of_stock,
    "sale prices emptied": emptied("sale_price", 20),
    "colours emptied": emptied("colour", 12),
    "tags added": by_tag,
    "a word replaced in descriptions": replaced_word("description", "made", "built"),
    "a word replaced in names": replaced_word("name", "Pine", "Larch"),
    "a sale": sale,
    "stock set to zero": honest("stock_barn", lambda _text: "0"),
    "stock plus ten": honest("stock_main", lambda text: str(int(text) + 10)),
    "costs doubled": honest("cost", lambda text: f"{Decimal(text) * Decimal('1.02'):.2f}"),
    "names with the maker": honest("name", lambda text: f"{text} (new)"),
    "spaces in supplier codes": honest("supplier_code", lambda text: f"{text[:2]}-{text[2:]}"),
    "descriptions in small letters": honest("description", str.lower),
    "colours in capitals": honest("colour", str.capitalize),
    "pictures in another folder": honest("picture_1", lambda text: f"media/{text}"),
    "pictures as webp": honest("picture_1", lambda text: text.replace(".jpg", ".webp")),
    "dates to the first of the month": honest("added", lambda text: text[:8] + "01"),
    "makers in capitals": honest("maker", str.upper),
    "bins with a new letter in front": honest("bin", lambda text: f"N{text}"),
    "tax of a block": honest("tags", lambda text: text.replace("new", "fresh")),
    "a maker renamed": renamed("maker"),
    "a category renamed": renamed("category"),
    "a word of names replaced": reworded,
    "items on and off sale": toggled,
    "items of other colours": recoloured,
    "a block in another category": recategorised,
    "texts copied from the item above": copied_texts,
    "all prices end in .99": endings,
    "dates a year later": a_year_later,
    "another price ending": honest("price", lambda text: text[:-1] + ("8" if text[-1] != "8" else "9")),
    "prices .95 to .49": honest("price", lambda text: text.replace(".95", ".49")),
    "prices from costs": priced_by_cost,
    "a block edited in three columns": some_of_each,
    "stock of blocks": one_stock,
    "+1.00 on prices, +0.50 on costs": a_step_up,
    "−12 % on all prices": honest("price", number("0.88")),
    "stock doubled": honest("stock_main", lambda text: str(int(text) * 2)),
    "+0.50 on all costs": honest("cost", lambda text: f"{Decimal(text) + Decimal('0.5'):.2f}"),
    "names in capitals": honest("name", str.upper),
    "a brand in front of names": honest("name", lambda text: f"Tansy {text}"),
    "bins with a letter more": honest("bin", lambda text: f"{text}A"),
    "+5 % on all prices": honest("price", number("1.05")),
    "−3 % on all costs": honest("cost", number("0.97")),
    "+1.00 on all prices": honest("price", lambda text: f"{Decimal(text) + 1:.2f}"),
    "the whole sheet sorted": shuffled,
    "new bins in a series": new_bins,
    "stock counted again": counted,
    "all stock from another list": fed,
    "a block of items off sale": off,
    "one maker's prices and costs": one_maker,
    "names and texts retouched": retouched,
}

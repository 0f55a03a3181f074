"""Makes the files of the demo shop anew: a live export, the copy that a colleague edited, three suppliers' lists.

Run from the root of the project: python scripts/make_demo_shop.py
The same seed gives the same bytes. Everything in it is made up; the barcodes are of the range kept for demonstrations.
"""

from __future__ import annotations

import csv
import io
import random
from datetime import UTC, date, datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal
from itertools import product
from pathlib import Path

import xlsxwriter
from stdnum import ean

SHOP = Path(__file__).parent.parent / "src" / "neat_delta" / "demo_shop"
SEED = 20261124
ITEMS = 640
CENT = Decimal("0.01")
# What a crown, the currency of a supplier, is worth in the shop's.
CROWN = Decimal("0.0871")
COLUMNS = [
    "sku", "item_id", "item_type", "name", "description", "maker", "supplier_code", "category", "price", "cost",
    "sale_price", "tax_class", "stock_main", "stock_barn", "bin", "active", "added", "gtin", "weight_kg", "colour",
    "tags", "picture_1", "picture_2", "related",
]  # fmt: skip

Row = dict[str, str]

# Category, form of the code, pattern of the name, the options it is filled with, cost range, weight in grams, makers.
FAMILIES = [
    ("Hives/Bodies", "number", "{0} hive body, {1} frames", (["Pine", "Cedar", "Larch"], ["8", "9", "10", "11", "12"]),
     (18, 60), 5200, ["Thrumhive", "Ouzelmere Joinery"]),
    ("Hives/Supers", "number", "{0} super, {1}, {2} frames",
     (["Pine", "Cedar", "Larch"], ["shallow", "half", "deep"], ["8", "10", "11", "12"]), (9, 30), 2900,
     ["Thrumhive", "Ouzelmere Joinery"]),
    ("Hives/Floors and roofs", "number", "{0} {1}, {2}",
     (["Pine", "Cedar"], ["open floor", "closed floor", "flat roof", "gable roof"], ["small", "standard"]), (7, 35),
     2400, ["Ouzelmere Joinery"]),
    ("Frames", "number", "{0} frame, {1}, pack of {2}",
     (["Straight", "Waisted", "Self-spacing"], ["shallow", "half", "deep", "½ depth"], ["10", "25", "50"]), (6, 48),
     1800, ["Thrumhive", "Combwick"]),
    ("Foundation", "number", "{0} foundation, {1}, {2} sheets",
     (["Wired", "Unwired", "Thin"], ["shallow", "half", "deep"], ["10", "25", "100"]), (8, 70), 1300,
     ["Waxwendle"]),
    ("Smokers and fuel/Smokers", "number", "Smoker, {0}, {1}",
     (["small", "medium", "large"], ["steel", "copper", "galvanised", "with guard"]), (11, 44), 900, ["Pellimoor"]),
    ("Smokers and fuel/Fuel", "number", "Smoker fuel, {0}, {1}",
     (["hessian", "pine cones", "wood pellets", "lavender straw"], ["1 kg", "2.5 kg", "5 kg"]), (2, 14), 2100,
     ["Pellimoor", "Combwick"]),
    ("Clothing/Veils", "number", "{0} veil, {1}",
     (["Round", "Square", "Fencing", "Folding"], ["white", "olive", "straw", "black mesh"]), (7, 25), 240,
     ["Sister Anselma"]),
    ("Clothing/Suits", "number", "{0}, size {1}",
     (["Full suit", "Jacket", "Ventilated suit", "Children's suit"], ["S", "M", "L", "XL", "XXL"]), (20, 95), 1100,
     ["Sister Anselma"]),
    ("Clothing/Gloves", "number", "{0} gloves, size {1}",
     (["Goatskin", "Cowhide", "Nitrile", "Ventilated"], ["7", "8", "9", "10", "11"]), (3, 24), 180,
     ["Sister Anselma", "Combwick"]),
    ("Queen rearing", "queen", "{0}, {1}",
     (["Queen cage", "Cell cup", "Cell bar", "Grafting tool", "Queen marker", "Mating box", "Introduction cage"],
      ["brass", "steel", "plastic", "wood", "set of 5", "set of 25"]), (1, 28), 90, ["Quenby Tools", "Pellimoor"]),
    ("Jars and lids/Jars", "jar", "{0} jar, {1}",
     (["Round", "Hexagonal", "Squat", "Tall", "Skep"], ["42 g", "125 g", "250 g", "340 g", "454 g", "1 kg"]), (0, 2),
     210, ["Glaslow"]),
    ("Jars and lids/Lids", "jar", "{0} lid, {1}",
     (["Gold", "White", "Black", "Honeycomb", "Tamper-proof"], ["43 mm", "53 mm", "63 mm", "70 mm"]), (0, 1), 12,
     ["Glaslow"]),
    ("Labels", "jar", "{0} label, {1}, roll of {2}",
     (["Meadow", "Heather", "Café crème", "Plain", "Clover"], ["small", "large"], ["100", "250", "500"]), (2, 22), 150,
     ["Inkling & Rush"]),
    ("Extraction", "number", "{0}, {1}",
     (["Hand extractor", "Uncapping fork", "Uncapping knife", "Double strainer", "Settling tank", "Honey gate"],
      ["small", "medium", "large", "stainless", "plastic"]), (4, 260), 3300, ["Pellimoor", "Quenby Tools"]),
    ("Wax and candles", "number", "{0}, {1}",
     (["Beeswax block", "Candle mould", "Wick", "Wax melter", "Candle"],
      ["small", "medium", "large", "fluted", "plain", "pillar"]), (2, 90), 700, ["Waxwendle"]),
    ("Feeding", "number", "{0}, {1}",
     (["Contact feeder", "Frame feeder", "Rapid feeder", "Syrup", "Fondant"],
      ["1 l", "2 l", "4 l", "8 l"]), (3, 26), 1500, ["Combwick", "Thrumhive"]),
    ("Hand tools", "number", "{0}, {1}",
     (["Hive tool", "Bee brush", "Frame grip", "Frame perch", "Entrance block"], ["steel", "yellow", "wood", "long"]),
     (2, 19), 260, ["Quenby Tools", "Pellimoor"]),
]  # fmt: skip
COLOURS = ["", "", "natural", "natural", "white", "yellow", "green", "grey", "amber"]


QUOTED = ("Pellimoor", "Quenby Tools")


def live_rows(chance: random.Random) -> list[Row]:
    """The shop's items, in the order of their ids."""
    numbers = {"number": 400, "queen": 1, "jar": 0}
    rows: list[Row] = []
    for category, code_form, pattern, options, costs, grams, makers in FAMILIES:
        for values in product(*options):
            code = _code(code_form, numbers)
            rows.append(_row(chance, code, pattern.format(*values), category, costs, grams, chance.choice(makers)))
    # Sturdy goods come as second choice too, until the shop is full.
    for model in [row for row in rows if row["sku"].isdigit()][: ITEMS - len(rows)]:
        name = model["name"] + ", second choice"
        code = _code("number", numbers)
        rows.append(_row(chance, code, name, model["category"], (5, 40), 2000, model["maker"]))
    rows = rows[:ITEMS]
    for number, row in enumerate(rows, start=1):
        row["item_id"] = str(70_000 + number * 3)
        if chance.random() < 0.35:
            row["related"] = "|".join(sorted(other["sku"] for other in chance.sample(rows, 2)))
    return rows


def _code(form: str, numbers: dict[str, int]) -> str:
    numbers[form] += 1
    if form == "queen":
        return f"QX-{numbers[form] + 40:04d}"
    if form == "jar":
        return f"{10 + numbers[form] // 20:02d}-{numbers[form] % 20 + 1:02d}"
    return f"{numbers[form]:06d}"


def _row(
    chance: random.Random, sku: str, name: str, category: str, costs: tuple[int, int], grams: int, maker: str
) -> Row:
    cost = (Decimal(costs[0]) + Decimal(str(chance.random())) * (costs[1] - costs[0]) + Decimal("0.2")).quantize(CENT)
    price = _ending(cost * Decimal("1.2") * Decimal(chance.choice(["1.45", "1.6", "1.8"])))
    on_sale = chance.random() < 0.06
    twelve = f"952{chance.randrange(10**9):09d}"
    stem = f"{sku.lower()}-{name.lower().split(',')[0].replace(' ', '-').replace(chr(39), '')}"
    stem = "".join(c for c in stem if c.isascii())
    return {
        "sku": sku,
        "item_id": "",
        "item_type": "bundle" if "pack" in name or "set" in name else "simple",
        "name": name,
        "description": _description(chance, name, maker),
        "maker": maker,
        "supplier_code": f"{maker[:2].upper()}{chance.randrange(1000, 9999)}",
        "category": category,
        "price": str(price),
        "cost": str(cost),
        "sale_price": str(_ending(price * Decimal("0.85"))) if on_sale else "",
        "tax_class": "reduced" if "Fondant" in name or "Syrup" in name else "standard",
        "stock_main": str(chance.choice([0, 1, 2, 3, 5, 8, 11, 14, 20, 36, 60, 120])),
        "stock_barn": str(chance.choice([0, 0, 0, 4, 10, 25, 40])),
        "bin": f"{chance.choice('ABCDEF')}{chance.randrange(1, 20)}-{chance.randrange(1, 6)}",
        "active": "1" if chance.random() < 0.94 else "0",
        "added": (date(2019, 3, 1) + timedelta(days=chance.randrange(2600))).isoformat(),
        "gtin": twelve + ean.calc_check_digit(twelve),
        "weight_kg": f"{Decimal(grams) * Decimal(chance.randrange(80, 130)) / 100000:.3f}",
        "colour": chance.choice(COLOURS),
        "tags": "|".join(sorted(chance.sample(["starter", "organic", "gift", "bulk", "spring", "autumn", "new"], 2))),
        "picture_1": f"{stem}-1.jpg",
        "picture_2": f"{stem}-2.jpg" if chance.random() < 0.5 else "",
        "related": "",
    }


def _description(chance: random.Random, name: str, maker: str) -> str:
    text = f"{name}, made by {maker}."
    extra = chance.randrange(12)
    if extra == 0:
        text += '\nFits all our "Standard" hives;\ndelivered flat, with nails.'
    elif extra < 4:
        text += " Good value, and easy to clean."
    return text


def _ending(amount: Decimal) -> Decimal:
    """A price that ends in 0 or 5."""
    return (amount * 20).quantize(Decimal(1), ROUND_HALF_UP) / 20 + Decimal("0.00")


def edited_rows(live: list[Row], chance: random.Random) -> list[Row]:
    """What a colleague made of them on a Tuesday: honest work, and some accidents."""
    rows = [dict(row) for row in live]
    by_sku = {row["sku"]: row for row in rows}
    _honest_work(rows, chance)
    _accidents(rows, by_sku)
    return [_as_typed(row) for row in rows]


def _honest_work(rows: list[Row], chance: random.Random) -> None:
    for row in rows:
        if row["maker"] == "Quenby Tools":  # the maker's new price list: 6 % up, two bargains
            row["price"] = str(_ending(Decimal(row["price"]) * Decimal("1.06")))
    for row in chance.sample([row for row in rows if row["maker"] == "Quenby Tools"], 2):
        row["price"] = str(_ending(Decimal(row["price"]) * Decimal("0.8")))
    for row in chance.sample(rows, 11):  # the stock count
        row["stock_main"] = str(max(0, int(row["stock_main"]) + chance.choice([-2, -1, 1, 3, 8])))
    veils = [row for row in rows if row["category"] == "Clothing/Veils"]
    for row in veils[:3]:
        row["name"] = row["name"].replace("veil", "bee veil")
    for row in veils[4:8]:
        row["colour"] = "olive"
    for row in rows[30:33]:
        row["weight_kg"] = f"{Decimal(row['weight_kg']) + Decimal('0.150'):.3f}"
    rows[77]["active"] = "0"


def _accidents(rows: list[Row], by_sku: dict[str, Row]) -> None:
    by_sku["000417"]["sku"] = "417"  # the spreadsheet program took the code for a number
    by_sku["QX-0055"]["gtin"] = "9,52E+12"
    by_sku["QX-0060"]["price"] = "on request"
    for sku in ("000430", "000431", "000432"):
        by_sku[sku]["bin"] = ""
    twice = dict(by_sku["10-05"], price="9.99")
    again = dict(by_sku["11-02"])
    for sku in ("000640", "000641", "000642", "000650"):
        rows.remove(by_sku[sku])
    rows.insert(rows.index(by_sku["10-05"]) + 1, twice)
    rows.append(again)
    for sku, name in (("QX-0900", "Queen cage, bamboo"), ("QX-0901", "Queen clip, bamboo")):
        rows.append(dict(by_sku["QX-0042"], sku=sku, name=name, item_id="", gtin="", price="4.50", related=""))


def _as_typed(row: Row) -> Row:
    """How a spreadsheet program with a decimal comma writes the row back."""
    typed = dict(row)
    for name in ("price", "cost", "sale_price", "weight_kg"):
        try:
            plain = format(Decimal(row[name]).normalize(), "f") if row[name] else ""
        except ArithmeticError:  # a word where a number belongs stays a word
            plain = row[name]
        typed[name] = plain.replace(".", ",")
    typed["added"] = date.fromisoformat(row["added"]).strftime("%d.%m.%Y")
    return typed


def supplier_lines(live: list[Row], chance: random.Random) -> list[list[str]]:
    """What the maker Pellimoor sends each quarter: its own names and codes, title lines, groups with sums, a footer."""
    lines = [["Pellimoor: dealer list, spring"], [], ["Our no.", "Article", "Dealer net", "Pack", "On hand"]]
    groups: dict[str, list[Row]] = {}
    for row in live:
        if row["maker"] == "Pellimoor":
            groups.setdefault(row["category"], []).append(row)
    for category, rows in groups.items():
        for row in rows:
            net = (Decimal(row["cost"]) * Decimal(chance.choice(["0.97", "1", "1", "1.04"]))).quantize(Decimal("0.01"))
            price = "on request" if chance.random() < 0.03 else str(net).replace(".", ",")
            pack, on_hand = str(chance.choice([1, 5, 10])), str(chance.randrange(90))
            lines.append([row["supplier_code"], row["name"].upper(), price, pack, on_hand])
        lines.append([f"Subtotal {category}", "", "", "", str(len(rows))])
    lines += [["PE0001", "BEE TOWER, GLASS", "48,00", "1", "3"], ["PE0002", "BEE TOWER, OAK", "61,50", "1", "2"], []]
    return [*lines, ["Page 1 of 1, prices without tax"]]


def wholesaler_lines(live: list[Row], chance: random.Random) -> list[list[str]]:
    """What the maker Waxwendle sends: prices in its own currency, items named by barcode, some of them twice."""
    lines = [["Barcode", "Ware", "Crowns, each", "Sold by"]]
    for row in live:
        if row["maker"] == "Waxwendle" and row["gtin"]:
            factor = Decimal(chance.choice(["0.98", "1", "1.03"]))
            crowns = (Decimal(row["cost"]) * factor / CROWN).quantize(CENT, ROUND_HALF_UP)
            lines.append([row["gtin"], row["name"].replace("½", "½ (half)"), f"{crowns}".replace(".", ","), "piece"])
    lines.insert(6, list(lines[5]))
    lines.append([*lines[9][:2], "999,00", lines[9][3]])
    lines.append(["9520000000004", "Beeswax blocks, 1 kg – new", "142,50", "piece"])
    return [*lines, ["Total", "", "", str(len(lines) - 1)], ["All prices in crowns, without tax", "", "", ""]]


def quote_rows(live: list[Row], chance: random.Random) -> list[list[str]]:
    """Offers that customers still have in their hands, at prices a little below those of the shop."""
    customers = ["Larkmoor Bee Club", "Hollow Orchard", "Thistle Row Apiaries", "The Two Drones"]
    rows = [["Quote", "Customer", "SKU", "Quantity", "Price"]]
    for number, row in enumerate(chance.sample([row for row in live if row["maker"] in QUOTED], 24), start=301):
        price = (Decimal(row["price"]) * Decimal(chance.choice(["0.85", "0.9", "0.95"]))).quantize(CENT, ROUND_HALF_UP)
        rows.append(
            [f"Q-{number}", chance.choice(customers), row["sku"], str(chance.choice([2, 5, 10, 25])), str(price)]
        )
    return rows


def stock_rows(live: list[Row], chance: random.Random) -> list[list[str | float]]:
    """What the maker Combwick sends each week: a workbook with our codes, as numbers where they look so."""
    rows: list[list[str | float]] = [["Combwick, free stock"], [], ["Your code", "Description", "Each", "Free"]]
    for row in live:
        if row["maker"] == "Combwick":
            code = float(row["sku"]) if row["sku"].isdigit() else row["sku"]
            rows.append([code, row["name"], float(row["cost"]), float(chance.randrange(120))])
    for code, name, each in (("CW-0901", "Frame spacer, brass", 3.2), ("CW-0902", "Frame spacer, steel", 2.75)):
        rows.append([code, name, each, 40.0])
    return rows


def as_workbook(rows: list[list[str | float]], path: Path) -> None:
    """Rows as a workbook, numbers as numbers, the same bytes each time."""
    book = xlsxwriter.Workbook(path)
    book.set_properties({"created": datetime(2026, 11, 23, tzinfo=UTC)})
    sheet = book.add_worksheet("Free stock")
    for at, row in enumerate(rows):
        sheet.write_row(at, 0, row)
    book.close()


def as_csv(rows: list[Row], delimiter: str, line_end: str) -> str:
    """Rows as delimited text."""
    text = io.StringIO(newline="")
    writer = csv.DictWriter(text, COLUMNS, delimiter=delimiter, lineterminator=line_end)
    writer.writeheader()
    writer.writerows(rows)
    return text.getvalue()


def main() -> None:
    """Write all files but waxwendle.toml and codes.csv, which are written by hand."""
    chance = random.Random(SEED)
    live = live_rows(chance)
    SHOP.mkdir(exist_ok=True)
    (SHOP / "live.csv").write_bytes(as_csv(live, ",", "\n").encode())
    text = as_csv(edited_rows(live, chance), ";", "\r\n")
    lines = text.split("\r\n")
    lines[502] = lines[502].replace(";", ";;", 1)  # somebody's stray delimiter: a cell too many
    (SHOP / "edited.csv").write_bytes("\r\n".join(lines).encode("cp1252"))
    stream = io.StringIO(newline="")
    csv.writer(stream, delimiter=";", lineterminator="\r\n").writerows(supplier_lines(live, chance))
    (SHOP / "pellimoor.csv").write_bytes(stream.getvalue().encode("cp1252"))
    stream = io.StringIO(newline="")
    csv.writer(stream, delimiter=";", lineterminator="\r\n").writerows(wholesaler_lines(live, chance))
    (SHOP / "waxwendle.csv").write_bytes(stream.getvalue().encode("cp1252"))
    as_workbook(stock_rows(live, chance), SHOP / "combwick.xlsx")
    stream = io.StringIO(newline="")
    csv.writer(stream, lineterminator="\n").writerows(quote_rows(live, chance))
    (SHOP / "quotes.csv").write_bytes(stream.getvalue().encode())
    print(f"{len(live)} items × {len(COLUMNS)} columns in {SHOP}")


if __name__ == "__main__":
    main()

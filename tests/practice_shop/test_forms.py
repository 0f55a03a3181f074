"""The practice shop takes an update in every form that one can have, and the way back; and no script but an update."""

import pytest

from helpers import examples, neat_delta, update_files, write_table
from neat_delta.base.errors import InvalidOption
from neat_delta.practice_shop import open_shop
from neat_delta.workflows.option_groups import OUTPUT_FORMATS

LIVE = [["sku", "name", "price", "note"], ["A", "Käfig; \"9\"", "10.00", "x"], ["B", "it's a \\ lid", "20.00", ""],
        ["C", "two\nlines", "30.00", "y"]]  # fmt: skip
EDITED = [LIVE[0], ["A", 'Käfig; "10"', "11.50", ""], ["B", "it's a \\ lid", "20.00", "new"],
          ["D", "näw", "4.00", "z"]]  # fmt: skip
WAYS = [
    "",
    'delimiter = "semicolon"\nencoding = "windows-1252"\ndecimal = ","\ndecimals = {price = 2}\n',
    'delimiter = "tab"\nencoding = "utf-16"\n',
]


# Every format in the first of the ways, and two in each; all in all of them in the long run.
CASES = [
    (output_format, ways)
    for output_format in OUTPUT_FORMATS
    for ways in WAYS
    if ways == "" or output_format in ("delimited", "xlsx", "sql") or examples(1) > 1
]


@pytest.mark.parametrize(("output_format", "ways"), CASES)
def test_an_update_and_its_undo_arrive_in_every_form(tmp_path, output_format, ways):
    if output_format == "tsv" and '"tab"' not in ways:
        pytest.skip("not the shop's delimiter")
    write_table(tmp_path / "start.csv", LIVE)
    assert neat_delta("shop", "open", "shop", "--from", "start.csv", cwd=tmp_path).returncode == 0
    with (tmp_path / "shop" / "shop.toml").open("a") as file:
        file.write(ways)
    comma = "decimal" in ways
    if comma and output_format in ("parquet", "sql", "sql-postgresql", "sql-mysql", "sql-sqlite"):
        (tmp_path / "catalogue.toml").write_text('[import]\ndecimal = "."\n')  # (as the shop's database has them)
    neat_delta("shop", "export", "shop", "-o", "live.csv", cwd=tmp_path)
    edited = [[cell.replace(".", ",") if comma and at == 2 else cell for at, cell in enumerate(row)] for row in EDITED]
    write_table(tmp_path / "edited.csv", edited)
    made = neat_delta(
        "compare", "live.csv", "edited.csv", "--blanks", "clear", "--add-new", "--delete-missing", "2", "--write", "up",
        "--format", output_format, "--ignore", "large change", cwd=tmp_path,
    )  # fmt: skip
    assert "proved" in made.stdout, made.stdout + made.stderr
    before = open_shop(tmp_path / "shop").items()
    done = neat_delta("shop", "import", "shop", *update_files(tmp_path / "up"), cwd=tmp_path)
    assert done.returncode == 0, done.stdout + done.stderr
    assert sorted(open_shop(tmp_path / "shop").items()) == sorted(EDITED[1:])
    neat_delta("shop", "export", "shop", "-o", "after.csv", cwd=tmp_path)
    assert neat_delta("verify", "up/update.changes.jsonl", "after.csv", cwd=tmp_path).returncode == 0
    assert neat_delta("shop", "import", "shop", *update_files(tmp_path / "up/undo"), cwd=tmp_path).returncode == 0
    assert sorted(open_shop(tmp_path / "shop").items()) == sorted(before)


@pytest.mark.parametrize(
    "script",
    [
        "BEGIN;\nATTACH DATABASE 'x.db' AS x;\nCOMMIT;\n",
        "BEGIN;\nCREATE TABLE other (a);\nCOMMIT;\n",
        "BEGIN;\nDROP TABLE items;\nCOMMIT;\n",
        "BEGIN;\nPRAGMA writable_schema = 1;\nCOMMIT;\n",
        "BEGIN;\nUPDATE items SET price = 1 WHERE sku = 'A';\nUPDATE items SET nothing = 1;\nCOMMIT;\n",
        "BEGIN;\nVACUUM INTO 'x.db';\nCOMMIT;\n",
    ],
)
def test_a_script_that_is_no_update_is_refused_and_changes_nothing(tmp_path, script):
    write_table(tmp_path / "start.csv", LIVE)
    neat_delta("shop", "open", "shop", "--from", "start.csv", cwd=tmp_path)
    shop = open_shop(tmp_path / "shop")
    with pytest.raises(InvalidOption, match="the script failed"):
        shop.import_file(script.encode())
    assert sorted(shop.items()) == sorted(LIVE[1:])
    assert not (tmp_path / "x.db").exists()


@pytest.mark.parametrize(
    ("ways", "data", "said"),
    [
        ('delimiter = "semicolon"\n', b"sku,price\nA,1\n", "semicolon-separated UTF-8"),
        ('encoding = "utf-8"\n', "sku,name\nA,Käfig\n".encode("cp1252"), "comma-separated UTF-8"),
        ("", b'{"sku": "A", "colour": "red"}\n', "unknown column colour"),
    ],
)
def test_another_form_than_the_shops_is_refused(tmp_path, ways, data, said):
    write_table(tmp_path / "start.csv", LIVE)
    neat_delta("shop", "open", "shop", "--from", "start.csv", cwd=tmp_path)
    with (tmp_path / "shop" / "shop.toml").open("a") as file:
        file.write(ways)
    with pytest.raises(InvalidOption, match=said):
        open_shop(tmp_path / "shop").import_file(data)

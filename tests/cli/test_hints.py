"""Each error ends with what to do, as an option that the command has; and that does help."""

import pytest

from helpers import neat_delta, write_table
from neat_delta.base.shell import POWERSHELL, command_line
from neat_delta.cli import hints

REPLACE = "Use --overwrite, or choose another name."


@pytest.fixture
def files(tmp_path):
    write_table(tmp_path / "live.csv", [["SKU", "pack", "maker no"], ["A", "6", "m1"], ["B", "6", "m2"]])
    write_table(tmp_path / "file.csv", [["maker no", "pack"], ["m1", "7"]])
    write_table(tmp_path / "ref.csv", [["thing", "n"], ["r1", "1"], ["r2", "1"]])
    write_table(tmp_path / "ref2.csv", [["thing", "n"], ["r1", "2"], ["r2", "1"]])
    write_table(tmp_path / "twice.csv", [["sku", "n", "thing"], ["A", "1", "x"], ["A", "1", "y"]])
    write_table(tmp_path / "twice2.csv", [["sku", "n", "thing"], ["A", "1", "x"], ["A", "2", "y"]])
    (tmp_path / "there.xlsx").write_text("work")
    return tmp_path


@pytest.mark.parametrize(
    ("args", "hint", "better"),
    [
        (["live.csv", "file.csv"], "--match-on maker_no.", ["--match-on", "maker_no"]),
        (["ref.csv", "ref2.csv"], "--key thing (such as r1)", ["--key", "thing"]),
        (["twice.csv", "twice2.csv"], "--key thing (such as x)", ["--key", "thing"]),
        (["twice.csv", "twice2.csv"], "With --key sku such rows are rejected", ["--key", "sku"]),
        (["ref.csv", "ref2.csv", "--key", "thing", "--problems", "there.xlsx"], REPLACE, ["--overwrite"]),
    ],
)
def test_what_an_error_advises_is_an_option_that_helps(files, args, hint, better):
    refused = neat_delta("compare", *args, cwd=files)
    done = neat_delta("compare", *args, *better, cwd=files)

    assert refused.returncode in (2, 3)
    assert hint in refused.stderr
    assert done.returncode in (0, 1), done.stderr


def test_an_option_that_does_not_fit_is_called_as_it_is_typed(files):
    refused = neat_delta("compare", "ref.csv", "ref2.csv", "--key", "nope", cwd=files)

    assert "--key nope: this column is not in both files. Columns of both: thing, n." in refused.stderr


def test_columns_with_other_names_are_suggested_and_the_suggestion_works_as_pasted(tmp_path):
    rows = [[f"AB-{at}", f"{7 * at + 1}.50", f"40063813{at:05d}"] for at in range(20)]
    write_table(tmp_path / "shop.csv", [["sku", "price", "barcode"], *rows])
    write_table(
        tmp_path / "list.csv",
        [["Code A", "Preis"], *[[row[2], row[1].replace(".50", ",75")] for row in rows]],
        delimiter=";",
    )

    refused = neat_delta("compare", "shop.csv", "list.csv", cwd=tmp_path)
    done = neat_delta(
        *("compare", "shop.csv", "list.csv", "--map", "Code A=barcode", "--map", "Preis=price"),
        *("--match-on", "barcode"),
        cwd=tmp_path,
    )

    assert 'Try: --map "Code A=barcode" --map "Preis=price" --match-on barcode' in refused.stderr
    assert "20 items will change" in done.stdout


def test_a_file_that_may_not_have_been_saved_is_said_to_be(tmp_path):
    for name in ("shop.csv", "mine.csv"):
        write_table(tmp_path / name, [["sku", "price"], ["A", "1.50"]])
    saved = neat_delta("compare", "shop.csv", "mine.csv", cwd=tmp_path)
    (tmp_path / ".~lock.mine.csv#").touch()
    still_open = neat_delta("compare", "shop.csv", "mine.csv", cwd=tmp_path)

    assert "Did you save the edited file?" in saved.stdout
    assert "mine.csv is open in a spreadsheet program" in still_open.stdout


@pytest.mark.parametrize(
    ("beside", "has_pip", "frozen", "line"),
    [
        ("/opt/shop/bin/pip", True, False, 'Run: pip install "neat-delta[sql]"'),
        ("/usr/bin/pip", True, False, 'Run: "/opt/shop/bin/my python" -m pip install "neat-delta[sql]"'),
        (None, False, False, 'Run: uv pip install --python "/opt/shop/bin/my python" "neat-delta[sql]"'),
        (None, False, True, "The program file cannot be added to; install Neat Delta with Python."),
    ],
)
def test_the_line_that_installs_an_extra_is_for_this_installation(monkeypatch, beside, has_pip, frozen, line):
    monkeypatch.setattr(hints.sys, "executable", "/opt/shop/bin/my python")
    monkeypatch.setattr(hints.sys, "frozen", frozen, raising=False)
    monkeypatch.setattr(hints.shutil, "which", lambda _: beside)
    monkeypatch.setattr(hints, "find_spec", lambda _: has_pip or None)
    assert hints.install("sql") == line


def test_a_program_in_quotes_is_called_in_powershell():
    line = command_line(["C:\\Program Files\\python.exe", "-m", "pip"], 200, POWERSHELL)
    assert line == ["& 'C:\\Program Files\\python.exe' -m pip"]

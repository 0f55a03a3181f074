"""Each error ends with what to do, as an option that the command has; and that does help."""

import pytest

from helpers import neat_delta, write_table

REPLACE = "Use --overwrite, or choose another name."


@pytest.fixture
def files(tmp_path):
    write_table(tmp_path / "live.csv", [["SKU", "pack", "maker no"], ["A", "6", "m1"], ["B", "6", "m2"]])
    write_table(tmp_path / "file.csv", [["maker no", "pack"], ["m1", "7"]])
    write_table(tmp_path / "ref.csv", [["ref", "n"], ["r1", "1"], ["r2", "1"]])
    write_table(tmp_path / "ref2.csv", [["ref", "n"], ["r1", "2"], ["r2", "1"]])
    write_table(tmp_path / "twice.csv", [["sku", "n", "ref"], ["A", "1", "x"], ["A", "1", "y"]])
    write_table(tmp_path / "twice2.csv", [["sku", "n", "ref"], ["A", "1", "x"], ["A", "2", "y"]])
    (tmp_path / "there.xlsx").write_text("work")
    return tmp_path


@pytest.mark.parametrize(
    ("args", "hint", "better"),
    [
        (["live.csv", "file.csv"], "--match-on maker_no.", ["--match-on", "maker_no"]),
        (["ref.csv", "ref2.csv"], "--key ref (such as r1)", ["--key", "ref"]),
        (["twice.csv", "twice2.csv"], "--key ref (such as x)", ["--key", "ref"]),
        (["twice.csv", "twice2.csv"], "With --key sku such rows are rejected", ["--key", "sku"]),
        (["ref.csv", "ref2.csv", "--key", "ref", "--problems", "there.xlsx"], REPLACE, ["--overwrite"]),
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

    assert "--key nope: this column is not in both files. Columns of both: ref, n." in refused.stderr

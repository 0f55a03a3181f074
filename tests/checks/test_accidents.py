import polars as pl
import pytest

from helpers import write_table
from neat_delta.changeset.head import Overrides
from neat_delta.checks import run_checks
from neat_delta.diff.compare import CompareOptions, compare, with_findings
from neat_delta.reading import read_pair
from neat_delta.tables.settings import FieldSettings, Settings

TEXT = Settings(fields={"bin": FieldSettings(type="text")})


@pytest.fixture
def tried(tmp_path):
    """The change of one cell of a text field, after the checks; and what they say of it."""

    def run(was, now, as_typed=()):
        a = write_table(tmp_path / "live.csv", [["sku", "bin"], ["A", was], ["B", "Shelf ä"]])
        b = write_table(tmp_path / "edited.csv", [["sku", "bin"], ["A", now], ["B", "Shelf ä"]])
        ours, edited = read_pair(a, b)
        seen = compare(ours, edited, CompareOptions(settings=TEXT))
        seen = with_findings(seen, run_checks(seen.changes, ours, TEXT, Overrides(as_typed=as_typed)))
        found = seen.changes.findings.filter(pl.col("code").is_in(["repaired", "spreadsheet damage"]))
        return seen.changes.cells["now"].to_list(), found["message"].to_list()

    return run


@pytest.mark.parametrize(
    ("was", "now", "what"),
    [
        ("1E5", "100000", "scientific notation"),
        ("1E5", "1.00E+05", "scientific notation"),
        ("9520000000004", "9.52E+12", "number in scientific notation"),
        ("9520000000004", "9.61E+12", "digits lost"),
        ("TRUE", "WAHR", "TRUE/FALSE was translated"),
        ("Shelf", "=A1&B1", "a formula instead of its value"),
        ("x" * 300, "x" * 255, "cut off"),
        ("Shelf", "KÃ¤fig", "broken accents: wrong encoding"),
        ("1234567890123456", "1234567890123450", "digits after the 15th lost"),
        ("607897798462010899", "607897798462011000", "digits after the 15th lost"),
        ("3/4", "03/04/26", "code changed into a date"),
        ("MAR-1", "03/01/26", "code changed into a date"),
        ("12-03", "2026-12-03", "code changed into a date"),
        ("10:30", "10:30:00 AM", "code changed into a time"),
        ("Käfig", "#NAME?", "formula error"),
        ("=x 12", "Err:509", "formula was run"),
        ("Käfig", "#¡VALOR!", "formula error"),
        ("Käfig groß", "KÃ¤fig groÃŸ", "broken accents: wrong encoding"),
        ("Ø 3″", "Ø 3?", "a letter became a question mark"),
    ],
)
def test_what_a_program_makes_of_a_value_is_held_back_and_can_be_let_through(tried, was, now, what):
    cells, said = tried(was, now)

    assert cells == []
    assert what in said[0]
    assert f"({was} became {now})" in said[0]
    assert tried(was, now, as_typed=("bin",)) == ([now], [])


@pytest.mark.parametrize(
    ("was", "now", "what"),
    [
        ("000417", "417", "leading zeros lost"),
        ("-001", "-1", "leading zeros lost"),
        ("+4940123456", "4940123456", "plus sign lost"),
    ],
)
def test_a_number_in_another_form_is_no_change_unless_it_is_meant(tmp_path, was, now, what):
    a = write_table(tmp_path / "live.csv", [["sku", "bin"], ["A", was], ["B", "Shelf"]])
    b = write_table(tmp_path / "edited.csv", [["sku", "bin"], ["A", now], ["B", "Shelf"]])
    ours, edited = read_pair(a, b)
    seen = compare(ours, edited, CompareOptions(settings=TEXT))
    typed = compare(ours, edited, CompareOptions(settings=TEXT, as_typed=("bin",)))

    assert seen.changes.is_empty
    assert seen.changes.counts["unchanged"] == 2
    assert seen.restored.rows() == [("bin", was, now, what, 0)]
    assert typed.changes.cells["now"].to_list() == [now]


@pytest.mark.parametrize(
    ("was", "now"),
    [
        ("000417", "418"),
        ("417", "000417"),
        ("000417", "0417"),
        ("A-1", "A-2"),
        ("3/4", "1/2"),
        ("1E5", "1E6"),
        ("2026-03-04", "2026-03-05"),
        ("Käfig", "Käfige"),
        ("Käfig?", "Kaefig?"),
        ("1234567890123456", "1234567890123457"),
    ],
)
def test_an_honest_edit_goes_through(tried, was, now):
    assert tried(was, now) == ([now], [])

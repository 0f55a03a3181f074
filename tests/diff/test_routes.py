"""Whatever a spreadsheet program makes of keys and cells: what changes is what was typed, or it is refused by name."""

import re
from decimal import Decimal

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helpers import examples, write_table
from neat_delta.checks import run_checks
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair
from neat_delta.tables.settings import Settings


def number(text, mark="."):
    """The shortest form of what a program takes for a number."""
    if not re.fullmatch(r"\+?[0-9]+(\.[0-9]+)?|[0-9]+E[0-9]", text):
        return text
    value = format(Decimal(text), "f")
    return (value.rstrip("0").rstrip(".") if "." in value else value).replace(".", mark)


def with_dates(form):
    """Numbers, and days and times of the codes that look like them, in a language's form."""

    def route(text):
        day = re.fullmatch(r"([0-9]{1,2})[-/]([0-9]{1,2})", text)
        if day and 0 < int(day[1]) < 29 and 0 < int(day[2]) < 13:
            return form.format(d=int(day[1]), m=int(day[2]))
        time = re.fullmatch(r"([0-9]{1,2}):([0-9]{2})", text)
        return f"{int(time[1]):02}:{time[2]}:00" if time else number(text)

    return route


MONTHS = ("Jan", "Feb", "Mär", "Apr", "Mai", "Jun", "Jul", "Aug", "Sep", "Okt", "Nov", "Dez")


def named_months(text):
    return re.sub(r"^([0-9]+)[-/]([0-9]+)$", lambda day: f"{day[1]}. {MONTHS[int(day[2]) - 1]}", text)


ROUTES = {
    "point": number,
    "comma": lambda text: number(text, ","),
    "German dates": with_dates("{d:02}.{m:02}.2026"),
    "Japanese dates": with_dates("2026/{m:02}/{d:02}"),
    "ISO dates": with_dates("2026-{m:02}-{d:02}"),
    "named months": named_months,
}
KEYS = {
    "zeros": lambda at: f"{at + 40:05}",
    "days": lambda at: f"{at % 28 + 1}-{at // 28 + 3}",
    "times": lambda at: f"{at // 60 + 7}:{at % 60:02}",
    "powers": lambda at: f"{at + 1}E{at % 4 + 1}",
    "plain": lambda at: f"K-{at}",
}
CODES = {
    "zeros": lambda at: f"{at * 7919 % 90000:05}",
    "shades": lambda at: f"{at % 9 + 1}.{at * 37 % 100:02}",
    "days": lambda at: f"{at % 28 + 1}/{at * 5 % 12 + 1}",
    "times": lambda at: f"{at % 24}:{at * 7 % 60:02}",
    "plus": lambda at: f"+49{at * 7919 + 1000000}",
}
ROWS = 40


@pytest.mark.parametrize("route", ROUTES)
@settings(max_examples=examples(6), deadline=None)
@given(
    key=st.sampled_from(sorted(KEYS)),
    code=st.sampled_from(sorted(CODES)),
    edits=st.sets(st.integers(0, ROWS - 1), max_size=6),
)
def test_the_changes_are_what_was_typed_or_it_is_refused(tmp_path_factory, route, key, code, edits):
    folder = tmp_path_factory.mktemp("route")
    live = [[KEYS[key](at), f"Jar {at}", CODES[code](at)] for at in range(ROWS)]
    typed = {at: CODES[code](at + 131) for at in edits}
    meant = {live[at][0]: text for at, text in typed.items() if text != live[at][2]}
    saved = [[ROUTES[route](cell) for cell in (*row[:2], typed.get(at, row[2]))] for at, row in enumerate(live)]
    head = ["sku", "name", "code"]
    paths = [write_table(folder / name, [head, *rows]) for name, rows in (("live.csv", live), ("saved.csv", saved))]
    ours, theirs = read_pair(*paths)

    seen = compare(ours, theirs, CompareOptions(add_new=True))
    findings = pl.concat([seen.changes.findings, run_checks(seen.changes, ours, Settings())])

    was = {row[0]: row[2] for row in live}
    held = set(findings.filter(pl.col("effect") != "none").select("key", "field").rows())
    cells = {(name, field): now for name, field, now in seen.changes.cells.select("key", "field", "now").rows()}
    sent = {at: now for at, now in cells.items() if at not in held}
    assert {at: now for at, now in sent.items() if at[1] != "code" or meant.get(at[0]) != now} == {}
    if findings.filter(pl.col("level") == "error", pl.col("field").fill_null("") != "code").is_empty():
        # (What the program makes of the new text and of the old one alike, nobody can see.)
        same = {name for name, text in meant.items() if ROUTES[route](text) == ROUTES[route](was[name])}
        refused = {name for name, field in held if field == "code"}
        assert meant.keys() - {name for name, _ in sent} - refused - same == set()

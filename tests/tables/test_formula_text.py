"""Texts that a spreadsheet program would run as a formula are kept from it, and come back as they were."""

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_delta.tables.formula_text import escaped_series, escaped_text, unescaped, unescaped_unless

texts = st.text(alphabet=st.sampled_from("'=+-@＝ \t\r\n\xa0\ufeff1.,5e%a|!"), max_size=8)


@pytest.mark.parametrize(
    "text",
    ["=1+1", "-1+cmd|' /C calc'!A0", "+1-cmd|' /C calc'!A0", "@SUM(1)", " =1", "\t=1", "\r=1", "\n-2+3", "\xa0=1",
     "＝1", "-", "- oak", "--1", "-1;=2", "-1\n=2", "+A1", "-1e5x"],
)  # fmt: skip
def test_what_would_run_stands_behind_an_apostrophe(text):
    assert escaped_text(text) == f"'{text}"


@pytest.mark.parametrize("text", ["-5", "+3.50", "-1,234.56", "-1.5e-3", " -7", "-12 %", "+49 30 12", "1-2", "a=b", ""])
def test_numbers_and_harmless_texts_stay_as_they_are(text):
    assert escaped_text(text) == text


@given(texts)
def test_escaping_is_undone_whatever_the_text(text):
    column = pl.Series("x", [text], dtype=pl.String)

    sheet = escaped_series(column)

    assert sheet.to_list() == [escaped_text(text)]
    assert sheet.to_frame().select(unescaped(pl.col("x"))).item() == text
    assert unescaped_unless(sheet, pl.Series([text])).to_list() in ([text], sheet.to_list())

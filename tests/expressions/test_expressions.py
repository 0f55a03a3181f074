"""Formulas and conditions: exact, over the fields alone, and bounded."""

import re
import socket
import threading
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from functools import cache
from pathlib import Path

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

import neat_delta
from neat_delta.expressions import ExpressionError, parse_expression


@cache
def frame() -> pl.DataFrame:
    return pl.DataFrame(
        {
            "price": ["638.32", "3.00", "1613.00", None],
            "cost": ["19.50", None, "0.00", "1.25"],
            "name": ["Smoker", "Hive  tool", "50% off_", None],
            "sku": ["0417", "418", "A'1", "B"],
            "active": [1, 0, None, 1],
            "empty": [None, None, None, None],
            "live.price": ["1.00", "2.00", "3.00", "4.00"],
            "unit price": ["1", "2", "3", "4"],
        },
        schema_overrides={"active": pl.Int8, "empty": pl.String},
    ).with_columns(pl.col("price", "cost", "live.price", "unit price").cast(pl.Decimal(38, 12)))


def computed(text: str) -> list[object]:
    found = parse_expression(text).over(frame())
    values = found.to_list()
    return [value.normalize() if isinstance(value, Decimal) else value for value in values]


def numbers(*texts: str | None) -> list[Decimal | None]:
    return [None if text is None else Decimal(text).normalize() for text in texts]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("price * (1 + 5/100)", numbers("670.236", "3.15", "1693.65", None)),
        ("price * 1.05e0", numbers("670.236", "3.15", "1693.65", None)),
        ("power(price, 2)", numbers("407452.4224", "9", "2601769", None)),
        ("price / -2", numbers("-319.16", "-1.5", "-806.5", None)),
        ("100 / +cost", numbers("5.128205128205128", None, None, "80")),
        ("1 /* of them */ + 1 -- and no more", numbers("2", "2", "2", "2")),
        ("case when price / 2 > 10 then price else 0 end", numbers("638.32", "0", "1613", "0")),
        ("case active when 1 then 'on' when 0 then 'off' end", ["on", "off", None, "on"]),
        ("round(price / 3, 2)", numbers("212.77", "1", "537.67", None)),
        ("round(price, -2)", numbers("600", "0", "1600", None)),
        ("round(-0.125, 2)", numbers("-0.13", "-0.13", "-0.13", "-0.13")),
        ("greatest(price - 640, 0)", numbers("0", "0", "973", "0")),
        ("coalesce(cost, 7)", numbers("19.5", "7", "0", "1.25")),
        ("nullif(cost, 0) + 0", numbers("19.5", None, None, "1.25")),
        ("mod(price, 10)", numbers("8.32", "3", "3", None)),
        ("ceil(price) - floor(price)", numbers("1", "0", "0", None)),
        ("ending(price, .95)", numbers("637.95", "2.95", "1612.95", None)),
        ("multiple(price, 5, 'up')", numbers("640", "5", "1615", None)),
        ("live.price * 2", numbers("2", "4", "6", "8")),
        ('"unit price" + 1', numbers("2", "3", "4", "5")),
        ("name || ' · ' || sku", ["Smoker · 0417", "Hive  tool · 418", "50% off_ · A'1", None]),
        ("concat(sku, price)", ["0417638.32", "4183", "A'11613", "B"]),
        ("upper(left(name, 2))", ["SM", "HI", "50", None]),
        ("substr(sku, 2, 2)", ["41", "18", "'1", ""]),
        ("lpad(sku, 6, 'ab')", ["ab0417", "aba418", "abaA'1", "ababaB"]),
        ("rpad(sku, 2)", ["04", "41", "A'", "B "]),
        ("replace(sku, '''', '')", ["0417", "418", "A1", "B"]),
        ("trim(both 'B' from sku)", ["0417", "418", "A'1", ""]),
        ("split_part(name, ' ', 3)", ["", "tool", "", None]),
        ("length(sku)", numbers("4", "3", "3", "1")),
        ("cast(sku as integer)", numbers("417", "418", None, None)),
        ("price > 5 and active = 1", [True, False, None, None]),
        ("active", [1, 0, None, 1]),
        ("not active or price > 1000", [False, True, True, None]),
        ("sku = 418", [False, True, False, False]),
        ("sku in ('B', 418)", [False, True, False, True]),
        ("name like '%\\%%'", [False, False, True, None]),
        ("name like '50!% off!_' escape '!'", [False, False, True, None]),
        ("name ilike 's_oker'", [True, False, False, None]),
        ("name not like 'H%'", [True, False, True, None]),
        ("name ~ '^[A-Z]'", [True, True, False, None]),
        ("price between 3 and 700", [True, True, False, None]),
        ("price is null or cost is not null", [True, False, True, True]),
        ("active is not true", [False, True, True, False]),
        ("empty is null", [True] * 4),
        ("empty > 3", [None] * 4),
        ("NULL", [None] * 4),
    ],
)
def test_an_expression_gives_exact_values(text, expected):
    assert computed(text) == expected


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("price > (select max(x) from read_csv('secret.env'))", "an expression can read only the fields of its row"),
        ("sku in (select sku from 'live.csv')", "an expression can read only the fields of its row"),
        ("exists(select 1)", "an expression can read only the fields of its row"),
        ("(with x as (select 1) select * from x)", "an expression can read only the fields of its row"),
        ("read_csv('secret.env')", "there is no function read_csv"),
        ("sum(price)", "there is no function sum"),
        ("count(*)", "there is no function count"),
        ("uper(name)", "Did you mean upper?"),
        ("lpad(name, 1000000000, 'x')", "from 0 to 32,767"),
        ("replace(" * 20 + "name" + ", 'o', 'oooooooo')" * 20, "may grow"),
        ("power(price, 10000)", "from 0 to 64"),
        ("power(1.23456789, 8)", "decimals"),
        ("price * 1e30 * 1e30", "too large to be exact"),
        ("1e400", "too many digits"),
        ("sqrt(price)", "there is no function sqrt"),
        ("price + name", "+ needs a number, not a text"),
        ("price = 'dear'", "the text 'dear'"),
        ("price and 1", "true or false"),
        ("name > 3", "a comparison needs values of one type"),
        ("a.b.price", "is not a field"),
        ("other.price", "not found"),
        ("name ~ '('", "regular expression"),
        ("price > ", "not an expression"),
        ("price; drop table items", "not an expression"),
        ("price, cost", "not an expression"),
        ("price as x", "not an expression"),
        ("$1 = 2", "is not allowed in an expression"),
        ("current_user", "there is no function"),
        ("x" * 6000, "6,000 characters"),
        ("(" * 2000 + "1" + ")" * 2000, "too many nested parts in the expression"),
        ("not " * 1100 + "active", "too many nested parts in the expression"),
        ("", "the expression is empty"),
        ("length(name, 2)", "wrong arguments for the function length"),
    ],
)
def test_whatever_is_not_on_the_list_is_refused_with_the_reason(text, reason):
    with pytest.raises(ExpressionError) as refused:
        parse_expression(text).over(frame())

    assert reason in str(refused.value)


terms = st.recursive(
    st.one_of(
        st.sampled_from(["p", "q"]),
        st.decimals(min_value="-99", max_value="99", places=3).map(lambda number: f"({number})"),
    ),
    lambda inner: st.tuples(inner, st.sampled_from("+-*"), inner).map(lambda parts: f"({' '.join(parts)})"),
    max_leaves=5,
)
cells = st.decimals(min_value="-9999", max_value="9999", places=2)


@given(terms, cells, cells)
def test_sums_and_products_are_those_of_exact_fractions(text, p, q):
    frame = pl.DataFrame({"p": [p], "q": [q]}, schema={"p": pl.Decimal(38, 2), "q": pl.Decimal(38, 2)})

    got = parse_expression(text).over(frame).item()

    numbers_as_fractions = re.sub(r"-?\d+\.\d+", lambda found: f"Fraction('{found[0]}')", text)
    exact = eval(numbers_as_fractions, {"Fraction": Fraction, "p": Fraction(p), "q": Fraction(q)})
    assert Fraction(got) == exact


@given(cells, st.decimals(min_value="0.01", max_value="999", places=2), st.integers(0, 4))
def test_a_rounded_quotient_is_rounded_half_away_from_zero(p, q, places):
    frame = pl.DataFrame({"p": [p], "q": [q]}, schema={"p": pl.Decimal(38, 2), "q": pl.Decimal(38, 2)})

    got = parse_expression(f"round(p / q, {places})").over(frame).item()

    assert got == (p / q).quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP)


# What the engine's SQL offers, and what other engines' does: functions, and tables that are read from files and hosts.
TABLES = "read_csv read_parquet read_json read_ndjson read_ipc read_text read_blob scan_csv glob parquet_scan"
FUNCTIONS = (
    TABLES
    + """
    pg_read_file load_file getenv system shell exec eval current_setting lo_import dblink http_get copy_from
    abs acos acosd array_agg array_contains array_get array_length array_lower array_mean array_reverse array_sum
    array_to_string array_unique array_upper asin atan atan2 avg bit_and bit_count bit_length bit_or bit_xor cbrt ceil
    columns concat concat_ws corr cos cot count covar date date_part datetime degrees dense_rank ends_with exp explode
    first first_value floor greatest if initcap last last_value least length ln log log10 log1p log2 lower ltrim max
    median min mod nullif octet_length percent_rank pi position pow quantile_cont quantile_disc radians rank regexp_like
    replace reverse right round row_number rtrim sign sin sqrt starts_with stddev strftime strptime strpos substr sum
    tan time timestamp unnest upper variance replicate repeat generate_series now random uuid version
    """
).split()


@pytest.mark.parametrize("outer", ["{0}", "price > {0}", "coalesce({0}, 1)", "(select {0})", "(select * from {0})"])
def test_no_function_and_no_table_of_any_engine_reaches_a_file_or_a_host(outer, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    secret = tmp_path / "secret.csv"
    secret.write_text("x\n4711\n")
    asked = []
    with socket.create_server(("127.0.0.1", 0)) as server:
        threading.Thread(target=lambda: asked.append(server.accept()), daemon=True).start()
        address = f"http://127.0.0.1:{server.getsockname()[1]}/secret.csv"
        for name in FUNCTIONS:
            for target in (str(secret), address, "secret.csv"):
                for call in (f"{name}('{target}')", f'{name}("{target}")', f"'{target}'", f'"{target}"'):
                    text = outer.format(call)
                    try:
                        found = parse_expression(text).over(frame().with_columns(pl.lit("x").alias(target)))
                    except ExpressionError as refused:
                        assert "4711" not in str(refused)
                    else:
                        assert "4711" not in str(found.to_list()), text
        assert asked == []


def test_no_text_of_a_person_is_given_to_an_engine_as_sql():
    for path in Path(neat_delta.__file__).parent.rglob("*.py"):
        assert not re.search(r"sql_expr|SQLContext|pl\.sql\b|\.sql\((?!\))", path.read_text("utf-8")), path

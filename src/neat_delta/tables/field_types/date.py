"""Dates: days of the calendar, in whichever order a file writes them."""

from __future__ import annotations

import datetime
import re
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.field_types.field_type import sample_has_digits, sample_matches
from neat_delta.tables.roles import plain

if TYPE_CHECKING:
    from neat_delta.tables.field_types.field_type import EditedColumn, FormatOverrides

# Pattern of the text beside the pattern of its parts (as strftime has them), surest first.
FORMS = {
    "%Y-%m-%d": r"^[0-9]{4}-[0-9]{2}-[0-9]{2}$",
    "%Y/%m/%d": r"^[0-9]{4}/[0-9]{2}/[0-9]{2}$",
    "%Y%m%d": r"^(19|20)[0-9]{6}$",
    "%d.%m.%Y": r"^[0-9]{1,2}\.[0-9]{1,2}\.[0-9]{4}$",
    "%d.%m.%y": r"^[0-9]{1,2}\.[0-9]{1,2}\.[0-9]{2}$",
    "%d/%m/%Y": r"^[0-9]{1,2}/[0-9]{1,2}/[0-9]{4}$",
    "%m/%d/%Y": r"^[0-9]{1,2}/[0-9]{1,2}/[0-9]{4}$",
    "%d/%m/%y": r"^[0-9]{1,2}/[0-9]{1,2}/[0-9]{2}$",
    "%m/%d/%y": r"^[0-9]{1,2}/[0-9]{1,2}/[0-9]{2}$",
    "%d-%m-%Y": r"^[0-9]{1,2}-[0-9]{1,2}-[0-9]{4}$",
}
ISO = "%Y-%m-%d"
# The months by how their names begin, without accents, in the languages of shops; of two that fit, the longer counts.
MONTHS = (
    "jan ene gen sty tammi led oca ian jaan saus sijec янв яну січ ιαν",
    "feb fev lut helmi uno sub veeb vas velj фев лют φεβ",
    "mar mrz mrt maa bre kov ozuj мар бер μαρ",
    "apr avr abr kwi huhti dub nis bal trav апр кві απρ",
    "may mai maj mag mei touko kve geg svib маи мая тра μαι",
    "jun juin giu cze kesa cerven cervn haz juun iun birz lipanj lipnj июн юни чер ιουν",
    "jul juil lug lip heina cervenec cervenc tem juul iul liep srpanj srpnj июл юли лип ιουλ",
    "aug aou ago sie elo srp agu rugp kolov авг сер αυγ",
    "sep set wrz syys zar eyl rugs rujan rujn сен сеп вер σεπ",
    "oct okt ott out paz loka rij eki spal окт жов οκτ",
    "nov lis marras kas noi lapk studen ноя ное νοε",
    "dec dez dic des gru joulu pro ara dets gruod дек гру δεκ",
)
STEMS = sorted(
    ((stem, month) for month, stems in enumerate(MONTHS, start=1) for stem in stems.split()),
    key=lambda one: -len(one[0]),
)
SHORTEST_NAME = 3
CUT_NAMES = {stem for stem, _ in STEMS} | {"sept", "janv", "fevr", "mars", "marz", "avril", "april"}
CUT_NAMES |= {"june", "juni", "july", "juli"}
# A weekday, the month, and words such as "de".
MOST_WORDS = 4
# How people write the parts of a form, beside how strftime does.
PARTS = {"YYYY": "%Y", "YY": "%y", "MM": "%m", "DD": "%d"}


def named_formats() -> dict[str, str]:
    """Every form by the name that people settle it by ("DD.MM.YYYY")."""
    names = {}
    for form in FORMS:
        name = form
        for part, sign in PARTS.items():
            name = name.replace(sign, part)
        names[name] = form
    return names


class Date:
    """Calendar days."""

    name = "date"
    priority = 15
    expected = "a date whose day and month cannot be mixed up (such as 2026-03-04)"
    numeric = False

    def matches(self, values: pl.Series, field: str) -> bool:
        """Exactly one way of writing dates reads every value."""
        return len(_reading_all(values)) == 1

    def infer_format(self, values: pl.Series, overrides: FormatOverrides | None = None) -> str | None:
        """The form that is given, or the one that reads every value."""
        if overrides is not None and overrides.date is not None:
            return overrides.date
        forms = _reading_all(values)
        return forms[0] if len(forms) == 1 else None

    def infer_edited_format(self, sheet: EditedColumn, live_format: str | None) -> str | None:
        """The form that makes most cells equal to the live ones, then the one that reads most; the live one if tied.

        ``None`` where two orders of day and month do equally well.
        """
        was = _read(sheet.was, live_format)
        scores = {}
        for form in FORMS:
            readings = self.in_century_of(was, _read(sheet.cells, form), sheet.cells, form)
            scores[form] = (
                (readings == was).sum(),
                readings.len() - readings.null_count(),
                form == live_format,
            )
        best = max(scores.values())
        winners = [form for form, score in scores.items() if score == best]
        return winners[0] if len(winners) == 1 else None

    def normalize(self, cells: pl.Series, form: str | None) -> pl.Series:
        """Dates as ISO 8601 text; ISO cells are understood everywhere, and so are those that can be but one date."""
        iso = _read(cells, ISO)
        readings = _read(cells, form).zip_with(iso.is_null(), iso)
        if readings.has_nulls():
            readings = readings.zip_with(readings.is_not_null(), _only_readings(cells))
        in_words = readings.is_null() & cells.str.contains(r"\p{L}")
        if not in_words.any():
            return readings
        spelt = {text: day_in_words(text) for text in cells.filter(in_words).unique()}
        named = cells.replace_strict(spelt, default=None, return_dtype=pl.String)
        return readings.zip_with(readings.is_not_null(), named)

    def in_century_of(self, before: pl.Series, readings: pl.Series, cells: pl.Series, form: str | None) -> pl.Series:
        """Readings, of which those that differ from the dates before in the century only are these dates.

        A form with two digits of the year says nothing of the century; POSIX reads 69 to 99 as 1969 to 1999.
        """
        if form is None or not form.endswith("%y"):
            return readings
        alike = (before.str.slice(2) == readings.str.slice(2)) & ~cells.str.strip_chars().str.contains(FORMS[ISO])
        return before.zip_with(alike.fill_null(value=False), readings)

    def format(self, readings: pl.Series, cells: pl.Series, form: str | None) -> pl.Series:
        """Dates in the live column's form, or as ISO 8601 where two digits of the year would mean another one."""
        dates = readings.str.to_date(ISO)
        written = dates.dt.strftime(form or ISO)
        return written.zip_with(_read(written, form or ISO).eq_missing(readings), readings)


def day_in_words(text: str) -> str | None:
    """A date with its month in words, or with the signs for year, month and day of Chinese and Japanese; else null."""
    parts = re.fullmatch(r"\s*([0-9]{4})\s?[年년]\s?([0-9]{1,2})\s?[月월]\s?([0-9]{1,2})\s?[日일]\s*", text)
    if parts:
        return _as_iso(*map(int, parts.groups()))
    numbers = [int(part) for part in re.findall(r"[0-9]+", text)]
    words = re.findall(r"[a-z]{3,}", plain(text))
    months = {month for word in words if (month := _month(word)) is not None}
    years = [number for number in numbers if number > 31]
    days = [number for number in numbers if number <= 31]
    if len(months) != 1 or len(years) != 1 or len(days) != 1 or len(words) > MOST_WORDS:
        return None
    return _as_iso(years[0], months.pop(), days[0])


def month_named(word: str, *, cut: bool = False) -> int | None:
    """The number of the month whose name begins so in any of the languages; case and accents aside.

    ``cut``: only names as programs cut them, such as Mar and Sept.
    """
    name = plain(word)
    if cut and name not in CUT_NAMES:
        return None
    return _month(name) if len(name) >= SHORTEST_NAME else None


def _month(word: str) -> int | None:
    return next((month for stem, month in STEMS if word.startswith(stem)), None)


def _as_iso(year: int, month: int, day: int) -> str | None:
    try:
        return datetime.date(year, month, day).isoformat()
    except ValueError:
        return None


def _read(cells: pl.Series, form: str | None) -> pl.Series:
    if form is None:
        return pl.repeat(None, len(cells), dtype=pl.String, eager=True)
    text = cells.str.strip_chars()
    dates = text.str.to_date(form, strict=False, exact=True).dt.strftime(ISO)
    return dates.to_frame("d").select(pl.when(text.str.contains(FORMS[form])).then("d")).to_series()


def _only_readings(cells: pl.Series) -> pl.Series:
    """The dates of cells that all forms read alike, as 24.12.2026 and 07/13/2026; null where they are none, or two."""
    every = pl.DataFrame([_read(cells, form).alias(form) for form in FORMS])
    one = pl.min_horizontal(pl.all())
    return every.select(pl.when(one == pl.max_horizontal(pl.all())).then(one)).to_series().alias(cells.name)


def _reading_all(values: pl.Series) -> list[str]:
    if not sample_has_digits(values):
        return []
    likely = [form for form, shape in FORMS.items() if sample_matches(values, shape)]
    return [form for form in likely if not _read(values, form).has_nulls()]


TYPE = Date()

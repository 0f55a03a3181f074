"""Dates and times that spreadsheet programs make of codes: 1-2 comes back as 01.02.2026, 9:30 as 09:30:00 AM.

What is shown depends on the language of the program; the numbers in it do not. So a date is a code's if it holds the
code's numbers, months by their names or in Roman numerals among them, and else nothing but what a program adds: a year,
or the first day of a month.
"""

from __future__ import annotations

import re

from neat_delta.tables.field_types.date import month_named

# Letters of any language, by the blocks that have them: a pattern of just the letters takes long to build.
_LETTER = "[A-Za-z\u00aa\u00b5\u00ba\u00c0-\u00d6\u00d8-\u00f6\u00f8-\u1fff\u2c00-\u2dff\u3005-\u3007\u3040-\U0010ffff]"
_LETTERS = rf"{_LETTER}{{1,10}}\.?"
_HALF = rf"(?:{_LETTER}\.? ?{_LETTER}\.?|{_LETTER}{{1,8}}\.?)"
_GAP = r"(?:[./-]|\. )"
# Shapes of the dates and times that programs show, of any language.
DATE_SHAPES = (
    r"^[0-9]{4}[-/.][0-9]{1,2}[-/.][0-9]{1,2}\.?$",
    r"^[0-9]{4}\. [0-9]{1,2}\. [0-9]{1,2}\.$",
    rf"^[0-9]{{1,2}}{_GAP}[0-9]{{1,2}}{_GAP}[0-9]{{4}}\.?(?: {_LETTER}\.)?$",
    r"^[0-9]{1,2}/[0-9]{1,2}/[0-9]{2}$",
    r"^[0-9]{1,2}\.[0-9]{1,2}\.[0-9]{2}\.?$",
    r"^[0-9]{1,2}-[0-9]{1,2}-[0-9]{2}$",
    r"^[0-9]{2}\. [0-9]{1,2}\.(?: [0-9]{2,4}\.?)?$",
    rf"^[0-9]{{1,2}}[-. /]{{0,2}}{_LETTERS}(?:[-. /]{{0,2}}[0-9]{{2,4}})?\.?$",
    rf"^{_LETTERS}[-. /]{{0,2}}[0-9]{{1,4}}$",
    r"^(?:[0-9]{2,4} ?[年년] ?)?[0-9]{1,2} ?[月월] ?[0-9]{1,2} ?[日일]$",
    r"^[0-9]{4}-[0-9]{2}-[0-9]{2}[ T][0-9]{2}:[0-9]{2}(?::[0-9]{2}(?:\.0+)?)?$",
)
TIME_SHAPES = (
    rf"^(?:{_HALF} ?)?[0-9]{{1,2}}:[0-9]{{2}}(?::[0-9]{{2}})?(?: ?{_HALF})?$",
    r"^[0-9]{1,2}시(?: [0-9]{1,2}분(?: [0-9]{1,2}초)?)?$",
    r"^PT[0-9]+H[0-9]{2}M[0-9]{2}S$",
)
_HALVES = frozenset(
    [
        *("am", "pm", "a.m.", "p.m.", "a.m", "p.m", "sáng", "chiều", "sa", "ch", "de", "du", "de.", "du.", "fm", "em"),
        *(
            "上午",
            "下午",
            "午前",
            "午後",
            "오전",
            "오후",
            "π.μ.",
            "μ.μ.",
            "πμ",
            "μμ",
            "ip",
            "ap",
            "ip.",
            "ap.",
            "öö",
            "ös",
        ),
        *("dop", "odp", "dop.", "odp.", "ö.ö.", "ö.s."),
    ]
)
# Those without a month's name.
NUMERIC_DATES = tuple(shape for shape in DATE_SHAPES if _LETTERS not in shape)
# Codes that programs take for dates, and for times.
LIKE_A_DATE = (
    r"^(?:[0-9]{1,4}[./-][0-9]{1,2}\.?|[0-9]{1,4}[./-][0-9]{1,2}[./-][0-9]{1,4}\.?|"
    rf"{_LETTERS}[-. /]{{0,2}}[0-9]{{1,4}}|[0-9]{{1,2}}[-. /]{{0,2}}{_LETTERS}(?:[-. /]{{0,2}}[0-9]{{1,4}})?)$"
)
LIKE_A_TIME = r"^[0-9]{1,3}:[0-9]{1,2}(?::[0-9]{1,2})?$|(?i)^[0-9]{1,2}(?::[0-9]{2}){0,2} ?[ap]m?$"
_NUMERALS = ("i", "ii", "iii", "iv", "v", "vi", "vii", "viii", "ix", "x", "xi", "xii")
_ROMAN = {numeral: month for month, numeral in enumerate(_NUMERALS, start=1)}
CENTURY, FIRST_YEAR_SHOWN = 100, 1000
# A year that is shown by two digits stands in front or behind, and is none of the past century's first decades.
FIRST_SHORT_YEAR, MOST_PARTS = 20, 3


def date_numbers(text: str) -> tuple[int, ...] | None:
    """The numbers of a date or code in their order, months among them; ``None`` if another word is in it."""
    numbers: list[int] = []
    for part in re.findall(r"[0-9]+|[^\W\d_]+", text):
        number = int(part) if part.isdecimal() else month_named(part) or _ROMAN.get(part.lower())
        if number is None and part not in "年月日년월일г":
            return None
        numbers += [number] if number is not None else []
    return tuple(numbers)


def is_shown_date(text: str) -> bool:
    """Whether a text of one of the shapes is a date or a time, by the words in it."""
    words = [word.lower() for word in re.findall(r"[^\W\d_][^\W\d_. ]*(?:\. ?[^\W\d_]\.)?\.?", text)]
    parts = (*"年月日년월일시분초гthms", "pt")
    return all(word in _HALVES or word.strip(".") in parts or month_named(word.strip("."), cut=True) for word in words)


def is_date_of(code: str, shown: str) -> bool:
    """Whether a date that is shown holds the numbers of a code, and else only what a program adds."""
    meant, numbers = date_numbers(code), date_numbers(shown)
    if not meant or numbers is None or not len(meant) <= len(numbers) <= MOST_PARTS:
        return False
    left = list(enumerate(numbers))
    for number in meant:
        place = next((one for one in left if one[1] % CENTURY == number % CENTURY), None)
        if place is None:
            return False
        left.remove(place)
    return all(_is_added(place, number, len(numbers)) for place, number in left)


def _is_added(place: int, number: int, count: int) -> bool:
    """Whether a program may have added a number of a date: the year of that day, or the first of a month."""
    at_an_end = place in (0, count - 1)
    return number == 1 or number >= FIRST_YEAR_SHOWN or (at_an_end and number >= FIRST_SHORT_YEAR)


def is_time_of(code: str, shown: str) -> bool:
    """Whether a time that is shown is that of a code, on a clock of 12 or 24 hours."""
    meant, numbers = ([int(part) for part in re.findall("[0-9]+", text)] for text in (code, shown))
    if not meant or len(meant) > len(numbers):
        return False
    meant += [0] * (len(numbers) - len(meant))
    return meant[0] % 12 == numbers[0] % 12 and meant[1:] == numbers[1:]


def same_moment(was: str, now: str) -> bool:
    """Whether two dates with a time are one, seconds or none; or two dates with a year."""
    old, new = ([int(part) for part in re.findall("[0-9]+", text)] for text in (was, now))
    longest = max(len(old), len(new))
    padded = [numbers + [0] * (longest - len(numbers)) for numbers in (old, new)]
    return padded[0] == padded[1]


def possible_codes(shown: str) -> set[tuple[int, ...]]:
    """The numbers, in order of size and without centuries, of the codes that may have become a date or a time."""
    numbers = date_numbers(re.sub(r"(?i)[ap]\.?m\.?$", "", shown))
    if numbers is None:
        numbers = tuple(int(part) for part in re.findall("[0-9]+", shown))
    some = [number % CENTURY for number in numbers[:MOST_PARTS]]
    hours = {some[0] % 12, some[0] % 12 + 12} if ":" in shown or "시" in shown else {some[0]}
    sets = {(*sorted((hour, *some[1:size])),) for hour in hours for size in (2, 3) if len(some) >= size}
    return sets | {(*sorted(some[:at] + some[at + 1 :]),) for at in range(len(some)) if len(some) == MOST_PARTS}


def code_numbers(code: str) -> tuple[int, ...] | None:
    """The numbers of a code that a program may take for a date or a time, in order of size, without centuries."""
    numbers = date_numbers(re.sub(r"(?i)(?<=[0-9]) ?[ap]m?$", "", code))
    return tuple(sorted(number % CENTURY for number in numbers)) if numbers else None

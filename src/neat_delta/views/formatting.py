"""How a value looks: the one place that decides marks, colours, cuts and number forms."""

from __future__ import annotations

from datetime import datetime
from decimal import ROUND_HALF_UP, Decimal, localcontext
from typing import TYPE_CHECKING

from rich.cells import cell_len

from neat_delta.matching import KEY_SEPARATOR
from neat_delta.views.safe_text import safe_line

if TYPE_CHECKING:
    from collections.abc import Mapping

# From the Okabe–Ito set, which people with any colour vision can tell apart; a mark or word always says it too.
BLUE, VERMILLION, GREEN = "#0072B2", "#D55E00", "#009E73"
UP, DOWN = "▲", "▼"
NOTHING = "–"
TENTH = Decimal("0.1")
# As many digits of a difference are exact as any two numbers that people write have between them.
DIGITS = 100
WIDEST = 1_000
CUT = "…"
LONGEST_ZONE = 5
# Numbers in a shop that writes a decimal comma.
SWAPPED = str.maketrans({",": ".", ".": ","})
# Grey by every terminal's own palette, so that it is readable on light and dark ground, with 16 colours too.
GREY = "bright_black"
STYLES = {
    "was": GREY,
    "now": "bold",
    "up": BLUE,
    "down": VERMILLION,
    "label": GREY,
    "head": GREY,
    "error": f"bold {VERMILLION}",
    "warning": VERMILLION,
    "note": GREY,
    "good": GREEN,
    "strong": "bold",
    "plain": "",
}


def amount(number: Decimal | None, mark: str = ".") -> str:
    """An amount of money with two decimals, in the shop's own decimal separator."""
    return NOTHING if number is None else f"{number:.2f}".replace(".", mark)


def per_cent(share: Decimal | None, mark: str = ".") -> str:
    """A share as per cent with one decimal, without the sign: columns say it."""
    return NOTHING if share is None else f"{(share * 100).quantize(TENTH, ROUND_HALF_UP)}".replace(".", mark)


def local_time(moment: str) -> str:
    """A moment as files have it (ISO 8601, UTC), in the time of this machine, with its zone."""
    try:
        local = datetime.fromisoformat(moment).astimezone()
    except (ValueError, OverflowError):  # a file that says something else is shown as it is
        return printable(moment)
    zone = local.strftime("%Z")
    if not zone.isupper() or len(zone) > LONGEST_ZONE:  # some systems have no short name for it
        offset = local.strftime("%z")
        zone = f"UTC{offset[:3]}:{offset[3:5]}"
    return f"{local:%Y-%m-%d %H:%M:%S} {zone}"


def format_key(key: str | None) -> str:
    """A key as people read it: its parts with a dot between them."""
    return printable(key.replace(KEY_SEPARATOR, " · ")) if key else ""


def count(number: int) -> str:
    """A whole number of ours, thousands parted by commas."""
    return f"{number:,}"


def pluralize(number: int, one: str, many: str | None = None) -> str:
    """A number with its noun: "1 row", "2 rows"."""
    return f"{count(number)} {one if number == 1 else many or one + 's'}"


def printable(value: str | None) -> str:
    """A cell on one line, safe for a terminal: line ends and tabs as signs, control characters as dots.

    Of a cell longer than any screen is wide, the middle is left out at once.
    """
    if value is None or value == "":
        return NOTHING
    if len(value) > WIDEST:
        value = value[: WIDEST // 2] + CUT + value[-WIDEST // 2 :]
    return safe_line(value.replace("\r\n", "\n"))


def cut(text: str, width: int) -> str:
    """A text of at most so many columns, cut in the middle."""
    if cell_len(text) <= width:
        return text
    if width <= 1:
        return CUT[:width]
    front = _head(text, width // 2)
    return front + CUT + _tail(text, width - 1 - cell_len(front))


def _head(text: str, width: int) -> str:
    text = text[:width]
    while cell_len(text) > width:
        text = text[:-1]
    return text


def _tail(text: str, width: int) -> str:
    text = text[-width:] if width else ""
    while cell_len(text) > width:
        text = text[1:]
    return text


def difference(cell: Mapping[str, str | None], mark: str | None) -> tuple[str, str, str]:
    """The move of a measured cell: direction ("up", "down" or ""), amount, and per cent of the number before.

    The amount has as many decimals as the longer of the two numbers as written, the per cent one; it is empty
    where the number before is zero.
    """
    before, after = cell["before"], cell["after"]
    if before is None or after is None:
        return "", "", ""
    was, now = Decimal(before), Decimal(after)
    decimals = max(_decimals(cell["was"], mark), _decimals(cell["now"], mark))
    with localcontext(prec=DIGITS, rounding=ROUND_HALF_UP):
        amount = f"{abs(now - was):.{decimals}f}".replace(".", mark or ".")
        share = f"{(now - was) / abs(was) * 100:+,.1f} %" if was else ""
    if mark == ",":
        share = share.translate(SWAPPED)
    return ("up" if now > was else "down"), amount, share


def _decimals(text: str | None, mark: str | None) -> int:
    _, _, fraction = (text or "").partition(mark or ".")
    return len(fraction) - len(fraction.lstrip("0123456789"))


def on_mark(numbers: list[str], mark: str = ".,") -> list[str]:
    """Numbers padded behind, so that set flush right they line up on their decimal separator."""
    tails = [max((len(n) - n.rfind(m) for m in mark if m in n), default=0) for n in numbers]
    longest = max(tails, default=0)
    return [number + " " * (longest - tail) for number, tail in zip(numbers, tails, strict=True)]


def flush(numbers: list[str]) -> list[str]:
    """Numbers of one width that line up on their decimal separator."""
    padded = on_mark(numbers)
    widest = max(map(len, padded), default=0)
    return [number.rjust(widest) for number in padded]

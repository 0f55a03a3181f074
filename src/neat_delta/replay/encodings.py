"""Texts that were read in one encoding and saved in another, or in one that lacks their letters."""

from __future__ import annotations

import re
from functools import cache

# What programs offer first when they open or save text, in the languages of most shops.
SAVED: tuple[str, ...] = (
    "cp1252",
    "iso8859_15",
    "latin_1",
    "cp1250",
    "iso8859_2",
    "mac_roman",
    "cp850",
    "cp437",
    "cp852",
    "ascii",
)
SAVED += ("cp1251", "koi8_r", "cp1253", "cp1254", "cp1257", "cp932", "gb18030", "mac_latin2")
WRONG, LOST = "broken accents: wrong encoding", "a letter became a question mark"
LOOK_ALIKE = "a sign became a look-alike"
# Signs for which programs put a plainer one where an encoding lacks them.
PLAINER = str.maketrans(
    {
        "″": '"', "“": '"', "”": '"', "„": '"', "«": '"', "»": '"', "′": "'", "’": "'", "‘": "'", "‚": ",", "–": "-",
        "—": "-", "−": "-", "‐": "-", "‑": "-", "…": "...", "×": "x", "•": "*", "\u00a0": " ", "\u202f": " ",
        "\u2009": " ", "\u200b": "", "\u00ad": "",
    }
)  # fmt: skip


@cache
def wrongly_read(was: str, now: str) -> str | None:
    """How one text became the other by an encoding alone; ``None`` if it did not."""
    was, now = was.replace("\r\n", "\n"), now.replace("\r\n", "\n")
    if was.isascii() or was == now:
        return None
    if now.translate(PLAINER) == was.translate(PLAINER):
        return LOOK_ALIKE
    data = was.encode("utf-8", "surrogatepass")
    for encoding in SAVED:
        if now == data.decode(encoding, "replace") or _reads(was, encoding, now):
            return WRONG
        if "?" in now and _saved_in(was, encoding).fullmatch(now):
            return LOST
    if now == data.decode("cp1252", "ignore") or _twice(was) == now:
        return WRONG
    return None


def _reads(was: str, encoding: str, now: str) -> bool:
    """Whether it is the text in that encoding, read as UTF-8 or as Windows-1252."""
    try:
        data = was.encode(encoding)
    except UnicodeEncodeError:
        return False
    return any(now == data.decode(other, "replace") for other in ("utf-8", "cp1252", "mac_roman"))


@cache
def reads_back(now: str) -> bool:
    """Whether a text is UTF-8 that was read in another encoding: read back, it is text with fewer signs."""
    for encoding in SAVED:
        try:
            text = now.encode(encoding).decode("utf-8")
        except UnicodeError:
            continue
        if len(text) < len(now):
            return True
    return False


def _saved_in(was: str, encoding: str) -> re.Pattern[str]:
    """What becomes of a text in an encoding: for each sign that it lacks a plainer one or question marks."""
    return re.compile("".join(_in_encoding(sign, encoding) for sign in was), re.DOTALL)


@cache
def _in_encoding(sign: str, encoding: str) -> str:
    plainer = re.escape(sign.translate(PLAINER))
    try:
        sign.encode(encoding)
    except UnicodeEncodeError:
        return rf"(?:\?{{1,2}}|{plainer})"
    return re.escape(sign) if sign.isascii() else f"(?:{re.escape(sign)}|{plainer})"


def _twice(was: str) -> str:
    """What two wrong readings in a row make of a text."""
    once = was.encode().decode("cp1252", "replace")
    return once.encode("utf-8", "replace").decode("cp1252", "replace")

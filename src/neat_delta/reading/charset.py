"""Bytes to lines of text, whatever the character set; undecodable lines are named, not guessed."""

from __future__ import annotations

import codecs
import re
from dataclasses import dataclass, replace

from neat_delta.tables import ASCII

# What a spreadsheet program on a Western desktop writes when it does not write UTF-8.
FALLBACK = "cp1252"
# Other sets of one byte a character that shops meet, the commonest first.
OTHERS = ("iso8859_15", "iso8859_2", "cp1250", "cp1251", "iso8859_5", "koi8_r", "cp1253", "iso8859_7", "cp1254")
# Those of other scripts (WHATWG Encoding Standard): Japanese, Chinese, Korean, Thai, Hebrew, Arabic, Vietnamese.
SCRIPTS = ("cp932", "euc_jp", "gb18030", "big5hkscs", "cp949", "cp874", "cp1255", "cp1256", "iso8859_6", "iso8859_8")
# Where another file shows the words, all of these encodings can be distinguished: what desktops and older programs
# write.
BY_WORDS = (
    *(FALLBACK, *OTHERS, "cp1257", "cp1258", "koi8_u", "iso8859_3", "iso8859_4", "iso8859_10", "iso8859_13"),
    *("iso8859_14", "iso8859_16", "mac_roman", "mac_latin2", "mac_turkish", "mac_cyrillic", "mac_greek", "mac_iceland"),
    *("mac_croatian", "mac_romanian", "cp852", "cp850", "cp857", "cp866", *SCRIPTS),
)
# In text of another script nearly all letters beyond ASCII are of it, and stand beside each other.
SCRIPT_LETTER = re.compile(r"[\u0590-\u06ff\u0e00-\u0e7f\u3040-\u30ff\u3400-\u9fff\uac00-\ud7af\uff61-\uff9f]")
IN_SCRIPT, SIDE_BY_SIDE = 0.9, 0.7
SCRIPT_BYTES = 1 << 13
# So many words beyond ASCII say something, of which so large a share must be known where a character set is right.
FEWEST_WORDS, KNOWN_WORDS = 4, 0.2
ISO_2022_JP = re.compile(rb"\x1b\$[@B]")
SAMPLE_BYTES = 1 << 16
# What no language writes, and from which share of the signs beyond ASCII on a character set is taken for wrong.
ODD_SIGN = re.compile(r"[^\W\d_][^\w\s'’.,;:!?/()\"&+*-]+[^\W\d_]|[\x80-\x9f¤\ufffd]|[¹²³¾½¼¿¡][^\W\d_]")
CAPITAL_INSIDE = re.compile(
    r"[a-zà-öø-ÿα-ωа-яё][A-ZÀ-ÖØ-ÞΑ-ΩА-ЯЁ]|\b[À-ÖØ-Þ]{2,}[à-öø-ÿ]|[À-ÖØ-öø-ž]{3,}|[A-Za-z][Α-ωЀ-џ]|[Α-ωЀ-џ][A-Za-z]"
)
TOO_ODD = 0.03
WORD = re.compile(r"[^\W\d_]+")
# So much of a file is looked at for words.
WORDS_BYTES = 1 << 24
# In UTF-16 every plain letter, digit and delimiter has a zero beside it.
OFTEN = 0.1
SLICE = 1 << 20
LABELS = {"utf-8": "UTF-8", "utf-16-le": "UTF-16", "utf-16-be": "UTF-16", "cp1252": "Windows-1252"}


@dataclass(frozen=True)
class DecodedText:
    """A file as UTF-8 bytes without a byte-order mark, and how it was coded.

    ``undecodable`` maps line numbers (from 1) to the reason; those lines hold U+FFFD where a byte was no text.
    ``line_end`` is set where lines did not end in a line feed; ``guessed`` where another charset would do as well.
    """

    utf8: bytes
    encoding: str
    bom: bool
    undecodable: dict[int, str]
    line_end: str | None = None
    guessed: bool = False


def decode(data: bytes, charset: str | None = None) -> DecodedText:
    """Recognise the character set by its byte-order mark, else ASCII, UTF-8 or Windows-1252; or take the stated one.

    A file in which some lines are proper UTF-8 beyond ASCII and others are no UTF-8 at all is UTF-8 with damaged
    lines; one with no proper UTF-8 beyond ASCII is Windows-1252, or what its letters speak for.
    """
    for separator, name in _MARKS.items():
        if data.startswith(separator):
            return _decoded(data[len(separator) :], name, bom=True)
    if charset is not None:
        return _decoded(data, charset, bom=False)
    wide = _utf16_by_zeros(data[:SAMPLE_BYTES])
    if wide:
        return _decoded(data, wide, bom=False)
    if data.isascii():
        if ISO_2022_JP.search(data):
            return replace(_decoded(data, "iso2022_jp", bom=False), guessed=True)
        return DecodedText(data, ASCII, False, {})
    if _is_utf8(data) or any(_proper(line) for line in data.split(b"\n")):
        return _decoded(data, "utf-8", bom=False)
    return replace(_decoded(data, _likeliest(data), bom=False), guessed=True)


def _utf16_by_zeros(sample: bytes) -> str | None:
    """UTF-16 without a byte-order mark, known by the zeros beside plain letters."""
    for name, first in (("utf-16-le", 1), ("utf-16-be", 0)):
        zeros, others = sample[first::2].count(0), sample[1 - first :: 2].count(0)
        if "\n".encode(name) in sample and zeros > OFTEN * len(sample) / 2 and not others:
            return name
    return None


def _likeliest(data: bytes) -> str:
    """Windows-1252, unless it makes odd words of the text and another set of one byte a character does not.

    Odd are signs inside words, capitals in the midst of small letters, and control characters.
    """
    sample = _beyond_ascii(data[: 1 << 20])
    signs = len(sample) - len(sample.translate(None, HIGH))
    oddities = {charset: _oddities(sample.decode(charset, "replace")) for charset in (FALLBACK, *OTHERS)}
    if oddities[FALLBACK] <= TOO_ODD * signs:
        return FALLBACK
    if other := _of_another_script(sample):
        return other
    return codecs.lookup(min(oddities, key=lambda charset: oddities[charset])).name


def _beyond_ascii(data: bytes) -> bytes:
    """Some of the lines that have a byte beyond ASCII, none of them cut."""
    lines = [line for line in data.split(b"\n") if not line.isascii()]
    sample = b"\n".join(lines)[:SAMPLE_BYTES]
    return sample if len(sample) < SAMPLE_BYTES else sample.rpartition(b"\n")[0]


def _of_another_script(sample: bytes) -> str | None:
    """The character set of text in a script other than Latin, Greek and Cyrillic, if it is such text."""
    from charset_normalizer import from_bytes

    sample = sample[:SCRIPT_BYTES].rpartition(b"\n")[0] if len(sample) > SCRIPT_BYTES else sample
    best = from_bytes(sample).best() if sample else None
    text = str(best or "")
    # It may be called by the name of a larger set that gives the same text.
    found = next((charset for charset in SCRIPTS if text and sample.decode(charset, "replace") == text), None)
    if found is None:
        return None
    letters = [at for at, sign in enumerate(text) if ord(sign) >= 128 and (sign.isalpha() or SCRIPT_LETTER.match(sign))]
    inside = [at for at in letters if SCRIPT_LETTER.match(text[at])]
    beside = [at for at in inside if SCRIPT_LETTER.search(text[max(0, at - 1) : at] + text[at + 1 : at + 2])]
    plausible = len(inside) >= IN_SCRIPT * len(letters) and len(beside) >= SIDE_BY_SIDE * len(inside)
    return codecs.lookup(found).name if inside and plausible else None


def words_beyond_ascii(text: str) -> set[str]:
    """The words of a text that have a letter beyond ASCII."""
    return {word for word in WORD.findall(text) if not word.isascii()}


@dataclass(frozen=True)
class VocabularyMatch:
    """What another text's words say of a file's character set: the best one, ``None`` if no set gives any word of it.

    ``doubtful`` says that the two texts have enough words to tell and nearly none in common; ``readings`` shows what
    the likeliest sets would read.
    """

    encoding: str | None
    doubtful: bool
    readings: dict[str, str]


def detect_by_vocabulary(data: bytes, words: set[str], guess: str) -> VocabularyMatch:
    """The character set in which most words of a file are those of another text about the same things.

    What two sets give alike goes to the likelier one; ``guess`` is what the file alone seems to be.
    """
    sample = _beyond_ascii(data[:WORDS_BYTES])
    read = {charset: words_beyond_ascii(sample.decode(charset, "replace")) for charset in BY_WORDS}
    found = {charset: len(words & known) for charset, known in read.items()}
    best = max(found, key=lambda charset: found[charset])
    shown = dict.fromkeys([guess, best, *sorted(found, key=lambda charset: -found[charset])[:3]])
    few = len(words) < FEWEST_WORDS or len(read[best] or ()) < FEWEST_WORDS
    readings = {charset: _first_words(sample.decode(charset, "replace")) for charset in shown}
    doubtful = not few and found[best] < KNOWN_WORDS * len(read[best])
    return VocabularyMatch(codecs.lookup(best).name if found[best] else None, doubtful, readings)


def _first_words(text: str) -> str:
    return ", ".join([word for word in WORD.findall(text) if not word.isascii()][:3])


def _oddities(text: str) -> int:
    return len(ODD_SIGN.findall(text)) + len(CAPITAL_INSIDE.findall(text))


HIGH = bytes(range(128, 256))
_MARKS = {codecs.BOM_UTF8: "utf-8", codecs.BOM_UTF16_LE: "utf-16-le", codecs.BOM_UTF16_BE: "utf-16-be"}


def _is_utf8(data: bytes) -> bool:
    if data.isascii():
        return True
    decoder = codecs.getincrementaldecoder("utf-8")()
    try:
        # In slices, so that a large file is not held a second time as Python text.
        for start in range(0, len(data), SLICE):
            decoder.decode(data[start : start + SLICE], final=start + SLICE >= len(data))
    except UnicodeDecodeError:
        return False
    return True


def _proper(line: bytes) -> bool:
    """Whether a line holds text beyond ASCII that is good UTF-8."""
    return not line.isascii() and _is_utf8(line)


def _decoded(data: bytes, charset: str, *, bom: bool) -> DecodedText:
    if charset == "utf-8" and _is_utf8(data):
        return DecodedText(data, charset, bom, {})
    text = data.decode(charset, errors="replace")
    undecodable = {
        number: f"the line has bytes that are not {LABELS.get(charset, charset)} text"
        for number, line in enumerate(text.split("\n"), start=1)
        if "\ufffd" in line
    }
    if undecodable and charset.startswith("utf-16") and len(data) % 2:
        undecodable[max(undecodable)] += ", the file may be cut off"
    return DecodedText(text.encode(), charset, bom, undecodable)

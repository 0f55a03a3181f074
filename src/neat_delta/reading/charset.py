"""Bytes to lines of text, whatever the character set; undecodable lines are named, not guessed."""

from __future__ import annotations

import codecs
import re
from dataclasses import dataclass, replace
from itertools import chain
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.files.content import gathered, pieces
from neat_delta.files.memory import largest_file_held
from neat_delta.tables import ASCII

if TYPE_CHECKING:
    from collections.abc import Iterator

    from neat_delta.files.content import Content

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
# In UTF-8 the bytes of a character but its first begin with the bits 1 and 0, and there are four at most (RFC 3629).
CONTINUES, CONTINUED, LONGEST_CHARACTER = 0xC0, 0x80, 4
# What stands for bytes that are no text, and so much of a file is looked at for signs of Japanese mail.
REPLACED, ISO_2022_BYTES = "\ufffd", 1 << 24
LABELS = {"utf-8": "UTF-8", "utf-16-le": "UTF-16", "utf-16-be": "UTF-16", "cp1252": "Windows-1252"}


@dataclass(frozen=True)
class DecodedText:
    """A file as UTF-8 text without a byte-order mark, and how it was coded.

    ``undecodable`` maps line numbers (from 1) to the reason; those lines hold U+FFFD where a byte was no text.
    ``line_end`` is set where lines did not end in a line feed; ``guessed`` where another charset would do as well.
    """

    text: Content
    encoding: str
    bom: bool
    undecodable: dict[int, str]
    line_end: str | None = None
    guessed: bool = False


def decode(content: Content, charset: str | None = None) -> DecodedText:
    """Recognise the character set by its byte-order mark, else ASCII, UTF-8 or Windows-1252; or take the stated one.

    A file in which some lines are proper UTF-8 beyond ASCII and others are no UTF-8 at all is UTF-8 with damaged
    lines; one with no proper UTF-8 beyond ASCII is Windows-1252, or what its letters speak for. What lies on disk is
    gone through piece by piece, and stays there if it is UTF-8.
    """
    head = content.read(0, SAMPLE_BYTES)
    for mark, name in _MARKS.items():
        if head.startswith(mark):
            return _decoded(content.behind(len(mark)), name, bom=True)
    charset = charset or _utf16_by_zeros(head)
    if charset is not None:
        return _decoded(content, charset, bom=False)
    if all(piece.isascii() for piece in pieces(content)):
        if ISO_2022_JP.search(content.read(0, ISO_2022_BYTES)):
            return replace(_decoded(content, "iso2022_jp", bom=False), guessed=True)
        return DecodedText(content, ASCII, False, {})
    if _is_utf8(content):
        return DecodedText(content, "utf-8", False, {})
    if any(map(_proper, _lines(content))):
        return _recoded(content, "utf-8", bom=False)
    return replace(_recoded(content, _likeliest(content.read(0, 1 << 20)), bom=False), guessed=True)


def encoded(data: bytes, text: DecodedText, *, mark: bool = False) -> bytes:
    """Bytes of a decoded text as they are in its file; ``mark`` adds the byte-order mark in front, if it has one."""
    as_encoded = data.decode().replace("\n", text.line_end or "\n").encode(text.encoding, "replace")
    if not (mark and text.bom):
        return as_encoded
    return next(sign for sign, name in _MARKS.items() if name == text.encoding) + as_encoded


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
    charset_found = next((charset for charset in SCRIPTS if text and sample.decode(charset, "replace") == text), None)
    if charset_found is None:
        return None
    letters = [at for at, sign in enumerate(text) if ord(sign) >= 128 and (sign.isalpha() or SCRIPT_LETTER.match(sign))]
    inside = [at for at in letters if SCRIPT_LETTER.match(text[at])]
    beside = [at for at in inside if SCRIPT_LETTER.search(text[max(0, at - 1) : at] + text[at + 1 : at + 2])]
    plausible = len(inside) >= IN_SCRIPT * len(letters) and len(beside) >= SIDE_BY_SIDE * len(inside)
    return codecs.lookup(charset_found).name if inside and plausible else None


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
    hits = {charset: len(words & vocabulary) for charset, vocabulary in read.items()}
    best = max(hits, key=lambda charset: hits[charset])
    shown = dict.fromkeys([guess, best, *sorted(hits, key=lambda charset: -hits[charset])[:3]])
    few = len(words) < FEWEST_WORDS or len(read[best] or ()) < FEWEST_WORDS
    readings = {charset: _first_words(sample.decode(charset, "replace")) for charset in shown}
    doubtful = not few and hits[best] < KNOWN_WORDS * len(read[best])
    return VocabularyMatch(codecs.lookup(best).name if hits[best] else None, doubtful, readings)


def _first_words(text: str) -> str:
    return ", ".join([word for word in WORD.findall(text) if not word.isascii()][:3])


def _oddities(text: str) -> int:
    return len(ODD_SIGN.findall(text)) + len(CAPITAL_INSIDE.findall(text))


HIGH = bytes(range(128, 256))
_MARKS = {codecs.BOM_UTF8: "utf-8", codecs.BOM_UTF16_LE: "utf-16-le", codecs.BOM_UTF16_BE: "utf-16-be"}


def _is_utf8(content: Content) -> bool:
    rest = b""
    for piece in pieces(content):
        data = rest + piece
        # (No part that is looked at ends inside a character.)
        end = len(data)
        while end > len(data) - LONGEST_CHARACTER and end and data[end - 1] & CONTINUES == CONTINUED:
            end -= 1
        end -= bool(end and data[end - 1] >= CONTINUES)
        rest = data[end:]
        try:  # (It takes Polars a fraction of the time that decoding takes to see whether bytes are text.)
            pl.Series([data[:end]], dtype=pl.Binary).cast(pl.String)
        except pl.exceptions.PolarsError:
            return False
    return _decodes(rest)


def _lines(content: Content) -> Iterator[bytes]:
    rest = b""
    for piece in pieces(content):
        *lines, rest = (rest + piece).split(b"\n")
        yield from lines
    yield rest


def _decodes(data: bytes) -> bool:
    try:
        data.decode()
    except UnicodeDecodeError:
        return False
    return True


def _proper(line: bytes) -> bool:
    """Whether a line holds text beyond ASCII that is good UTF-8."""
    return not line.isascii() and _decodes(line)


def _decoded(content: Content, charset: str, *, bom: bool) -> DecodedText:
    if charset == "utf-8" and _is_utf8(content):
        return DecodedText(content, charset, bom, {})
    return _recoded(content, charset, bom=bom)


def _recoded(content: Content, charset: str, *, bom: bool) -> DecodedText:
    """The text in UTF-8, whatever it was coded in; and the lines in which some bytes are no text."""
    undecodable: dict[int, str] = {}
    reason = f"the line has bytes that are not {LABELS.get(charset, charset)} text"

    def recoded() -> Iterator[bytes]:
        decoder = codecs.getincrementaldecoder(charset)("replace")
        line = 1
        for data in chain(pieces(content), [None]):
            text = decoder.decode(data or b"", final=data is None)
            if REPLACED in text:
                lines = enumerate(text.split("\n"), start=line)
                undecodable.update({number: reason for number, part in lines if REPLACED in part})
            line += text.count("\n")
            yield text.encode()

    recoded_content = gathered(recoded(), content, largest_file_held())
    if undecodable and charset.startswith("utf-16") and len(content) % 2:
        undecodable[max(undecodable)] += ", the file may be cut off"
    return DecodedText(recoded_content, charset, bom, undecodable)

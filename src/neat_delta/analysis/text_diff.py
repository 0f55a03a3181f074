"""A change of a text as pieces that stayed, went and came; terminal, page and workbook all show these."""

from __future__ import annotations

import re
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Literal

SAME, WENT, CAME = "same", "went", "came"
WORDS = re.compile(r"\w+|\s+|[^\w\s]")
# Between the ends that two texts share, so many words and spaces are compared one by one.
MOST_WORDS = 200
# So many characters of what stayed are enough to see where one is.
AROUND = 24
CUT = "…"


@dataclass(frozen=True)
class Piece:
    """A part of a text and what became of it."""

    what: Literal["same", "went", "came"]
    text: str


def pieces(was: str | None, now: str | None, separator: str | None = None) -> list[Piece]:
    """What stayed, went and came from one text to the other.

    Of several values in a cell each that went or came is a piece, and those that stayed are left out. Other texts are
    compared word by word.
    """
    if separator:
        return _of_several(was, now, separator)
    before, after = (WORDS.findall(text or "") for text in (was, now))
    head, tail = _shared_ends(before, after)
    changed = [
        Piece("same", "".join(before[:head])),
        *_middle(before[head : len(before) - tail], after[head : len(after) - tail]),
    ]
    changed.append(Piece("same", "".join(before[len(before) - tail :])))
    return _joined([piece for piece in changed if piece.text])


def _shared_ends(before: list[str], after: list[str]) -> tuple[int, int]:
    """How many words two texts share at their beginning, and how many of the others at their end."""
    shorter = min(len(before), len(after))
    head = next((at for at in range(shorter) if before[at] != after[at]), shorter)
    tail = next((at for at in range(shorter - head) if before[-1 - at] != after[-1 - at]), shorter - head)
    return head, tail


def _middle(before: list[str], after: list[str]) -> list[Piece]:
    """The pieces of what lies between the shared ends; a long stretch is one change, for comparing costs its square."""
    if len(before) + len(after) > MOST_WORDS:
        return [Piece("went", "".join(before)), Piece("came", "".join(after))]
    middle: list[Piece] = []
    for kind, a, b, c, d in SequenceMatcher(a=before, b=after, autojunk=False).get_opcodes():
        if kind == "equal":
            middle.append(Piece("same", "".join(before[a:b])))
            continue
        middle += [Piece("went", "".join(before[a:b])), Piece("came", "".join(after[c:d]))]
    return middle


def in_surroundings(parts: list[Piece], around: int = AROUND) -> list[Piece]:
    """The same with long stretches that stayed cut down to what is next to a change."""
    shown = []
    for at, piece in enumerate(parts):
        text, last = piece.text, at == len(parts) - 1
        if piece.what == SAME:
            if at == 0 and len(text) > around:
                text = CUT + text[-around:]
            elif last and len(text) > around:
                text = text[:around] + CUT
            elif not (at == 0 or last) and len(text) > 2 * around:
                text = text[:around] + CUT + text[-around:]
        shown.append(Piece(piece.what, text))
    return shown


def _of_several(was: str | None, now: str | None, separator: str) -> list[Piece]:
    before, after = ([value.strip() for value in (text or "").split(separator) if value.strip()] for text in (was, now))
    went = [Piece("went", value) for value in before if value not in after]
    came = [Piece("came", value) for value in after if value not in before]
    # Where just the order changes, or what counts in no value, the whole cell does.
    return went + came or [Piece("went", was or ""), Piece("came", now or "")]


def _joined(parts: list[Piece]) -> list[Piece]:
    """Changes with nothing but a space between them as one, so that a new sentence is not shown word by word."""
    joined: list[Piece] = []
    at = 0
    while at < len(parts):
        went, came, stop = "", "", at
        while stop < len(parts) and (
            parts[stop].what != SAME or (went + came and parts[stop].text.isspace() and stop + 1 < len(parts))
        ):
            piece = parts[stop]
            went += piece.text if piece.what in (SAME, WENT) else ""
            came += piece.text if piece.what in (SAME, CAME) else ""
            stop += 1
        if stop == at:
            joined.append(parts[at])
            at += 1
            continue
        joined += [piece for piece in (Piece("went", went), Piece("came", came)) if piece.text]
        at = stop
    return joined

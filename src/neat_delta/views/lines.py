"""Lines with a label in front, as all our summaries have them."""

from __future__ import annotations

import textwrap
from typing import TYPE_CHECKING

from rich.text import Text

from neat_delta.views.formatting import STYLES
from neat_delta.views.table import INDENT, Cell

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.console import Console

LABEL = 12
NARROWEST = 20


def labelled(label: str, text: str | Text, style: str = "label") -> Text:
    """A line with a label in front, as all our summaries have it."""
    line = Text(INDENT)
    line.append(label.ljust(LABEL), STYLES[style])
    line.append(text)
    return line


def sentence(label: str, text: str, width: int, style: str = "label") -> Iterator[Text]:
    """A labelled sentence, folded under itself where it is longer than the screen is wide."""
    room = max(NARROWEST, width - len(INDENT) - LABEL)
    for at, part in enumerate(textwrap.wrap(text, room, break_long_words=False, break_on_hyphens=False)):
        yield labelled("" if at else label, part, style)


def folded(line: Text, width: int, screen: Console) -> Iterator[Text]:
    """A line that is longer than the screen is wide, folded below its text; one to paste (``no_wrap``) stays whole."""
    start = len(INDENT) + LABEL
    if line.no_wrap or line.cell_len <= width or width < start + NARROWEST:
        yield line
        return
    for at, part in enumerate(line[start:].wrap(screen, width - start)):
        part.rstrip()
        yield (Text(" " * start) if at else line[:start]).append_text(part)


def under_label() -> Cell:
    """Room in a table for a label that is further up."""
    return Cell(" " * (LABEL - len(INDENT)))

"""Lines with a label in front, as all our summaries have them."""

from __future__ import annotations

import textwrap
from typing import TYPE_CHECKING

from rich.text import Text

from neat_delta.views.formatting import STYLES
from neat_delta.views.table import INDENT

if TYPE_CHECKING:
    from collections.abc import Iterator

LABEL = 12


def labelled(label: str, text: str | Text, style: str = "label") -> Text:
    """A line with a label in front, as all our summaries have it."""
    line = Text(INDENT)
    line.append(label.ljust(LABEL), STYLES[style])
    line.append(text)
    return line


def sentence(label: str, text: str, width: int, style: str = "label") -> Iterator[Text]:
    """A labelled sentence, folded under itself where it is longer than the screen is wide."""
    room = max(30, width - len(INDENT) - LABEL)
    for at, part in enumerate(textwrap.wrap(text, room, break_long_words=False, break_on_hyphens=False)):
        yield labelled("" if at else label, part, style)

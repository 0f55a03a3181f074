"""Text that is safe to show: nothing in it moves the cursor, changes colours, hides or reorders what people read.

A terminal obeys what is in a file's name, a cell or a server's answer as if we had said it (ECMA-48), and signs for
the direction of writing let it be read in another order (Unicode UAX 9). All text passes here on its way out.
"""

from __future__ import annotations

import re
import unicodedata
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from rich.text import Text

# Line ends and tabs as signs, all else that cannot be seen as a dot.
SIGNS = {"\n": "⏎", "\r": "⏎", "\t": "⇥"}
DOT = "·"
# Control characters, formats (among them directions), lone surrogates, line and paragraph separators.
UNSAFE = ("Cc", "Cf", "Cs", "Zl", "Zp")
_SUSPECT = re.compile(r"[^\x20-\x7e\xa1-\xac\xae-\u05ff]")
_IN_JSON = re.compile("[\x7f-\x9f\xad\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff]")


def safe_line(text: str) -> str:
    """A text as one line of as many characters, each of them seen."""
    return _SUSPECT.sub(lambda sign: _seen(sign[0]), text)


def safe_lines(text: str) -> str:
    """A text of our own that has several lines, each of them safe."""
    return "\n".join(map(safe_line, text.replace("\r\n", "\n").split("\n")))


def safe_styled(line: Text) -> Text:
    """A styled line, its characters safe and its styles where they were."""
    safe = safe_line(line.plain)
    if safe != line.plain:
        line = line.copy()
        line.plain = safe
    return line


def safe_json(data: bytes) -> bytes:
    """JSON that means the same and has no character in it that a terminal might obey."""
    return _IN_JSON.sub(lambda sign: f"\\u{ord(sign[0]):04x}", data.decode()).encode()


def _seen(sign: str) -> str:
    return SIGNS.get(sign) or (DOT if unicodedata.category(sign) in UNSAFE else sign)

"""The names of files as text: on some systems they may be any bytes, which no file and no screen holds."""

from __future__ import annotations


def path_text(path: object) -> str:
    """A path or its text with U+FFFD in place of what is no text; another path may be shown alike."""
    text = str(path)
    return text if text.isascii() else text.encode("utf-8", "surrogateescape").decode("utf-8", "replace")

"""Secrets taken out of texts: those this program has used, and passwords that stand in addresses."""

from __future__ import annotations

import re
from urllib.parse import quote, quote_plus

HIDDEN = "•••"
# A shorter text is hidden by nothing: it would take letters out of other words.
SHORTEST = 4
# From a colon to the last @ of a word; or of the line, where no port is behind it: a password may have spaces.
PASSWORD_IN_ADDRESS = re.compile(r"""(\w+://)[^\s@/?#]*:(?:\S*@|(?!\d+(?:[/?#\s'",.:)]|$))[^\n]*@)""")

_used: set[str] = set()


def keep_hidden(secret: str) -> None:
    """Remember a secret that is used, so that nothing shows it; also as addresses write it."""
    if len(secret) >= SHORTEST:
        _used.update((secret, quote(secret, safe=""), quote(secret), quote_plus(secret)))


def redacted(text: str) -> str:
    """A text without any of them."""
    for secret in sorted(_used, key=len, reverse=True):
        text = text.replace(secret, HIDDEN)
    return PASSWORD_IN_ADDRESS.sub(rf"\1{HIDDEN}@", text) if "://" in text else text

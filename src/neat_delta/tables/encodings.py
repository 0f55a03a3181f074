"""The encodings in which a table may be written: those of Python's codecs that are character sets."""

from __future__ import annotations

import codecs

# They are called encodings, but write something else than text: names of the internet, Python's own literals, nothing.
NO_CHARACTER_SETS = ("idna", "punycode", "raw-unicode-escape", "unicode-escape", "undefined", "mbcs", "oem", "utf-7")


def codec_name(given: str) -> str:
    """The name of the codec for an encoding, as ``bytes.decode`` takes it.

    Raises:
        LookupError: it is no character set that Python knows.
    """
    try:
        codec = codecs.lookup(given)
        # What turns bytes into bytes (base64, zip) or text into text (rot13) is looked up in the same place.
        if codec.name in NO_CHARACTER_SETS or not isinstance(b"a".decode(codec.name, "replace"), str):
            raise LookupError(given)
    except (LookupError, ValueError, UnicodeError) as error:
        raise LookupError(given) from error
    return codec.name

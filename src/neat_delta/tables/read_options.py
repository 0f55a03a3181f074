"""How a file is read, where a person or the settings say so."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

from neat_delta.base.errors import InvalidOption
from neat_delta.tables.constraints import CountOrZero, DecimalSeparator, Delimiter, Encoding, Key, NotInFile
from neat_delta.tables.encodings import codec_name
from neat_delta.tables.table import DELIMITERS


@dataclass(frozen=True)
class ReadOptions:
    """``[export]``: the format of a file; ``None`` leaves it to be detected."""

    delimiter: Delimiter | None = None
    """`comma`, `semicolon`, `tab` or `pipe`; for programs the character itself."""
    encoding: Encoding | None = None
    """The encoding, such as `windows-1252`: any name that Python knows."""
    decimal_separator: Annotated[DecimalSeparator | None, Key("decimal")] = None
    """The decimal separator, `.` or `,`."""
    header_line: CountOrZero | None = None
    """The line of the column names, counted from 1; 0 for a file without them."""
    worksheet: str | None = None
    """The name or number (from 1) of a workbook's worksheet."""
    keep_non_data: Annotated[bool, NotInFile()] = False
    """Rows that look like sums or footers are data all the same."""

    def overridden_by(self, given: ReadOptions) -> ReadOptions:
        """These options, where ``given`` leaves a thing open; else the given ones."""
        # By identity: header line 0 is given, and equal to False.
        told = {name: value for name, value in vars(given).items() if value is not None and value is not False}
        return replace(self, **told)


DEFAULT_OPTIONS = ReadOptions()


def given_read_options(
    delimiter: str | None, encoding: str | None, decimal: str | None, header_line: int | None, worksheet: str | None
) -> ReadOptions:
    """How a file is read, as a person or a program says it: a delimiter by its name or as the character.

    Raises:
        InvalidOption: there is no such delimiter or encoding.
    """
    signs = {name: sign for sign, name in DELIMITERS.items()} | {"\\t": "\t"}
    sign = None if delimiter is None else signs.get(delimiter, delimiter)
    if sign is not None and sign not in DELIMITERS:
        hint = "Use comma, semicolon, tab or pipe."
        raise InvalidOption("not a column separator", option="delimiter", value=delimiter, hint=hint)
    try:
        codec = codec_name(encoding) if encoding else None
    except LookupError as error:
        hint = "Give a name such as windows-1252 or utf-8."
        raise InvalidOption("unknown encoding", option="encoding", value=encoding, hint=hint) from error
    return ReadOptions(sign, codec, decimal, header_line, worksheet)

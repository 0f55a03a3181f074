"""The live values that a sheet for editing carries with it: packed texts for the cells of a hidden worksheet.

The first text is JSON about the live export; the others, joined, are base64 of a Zstandard frame of CSV. A few long
texts take a fraction of the room and time of as many cells as the sheet has.
"""

from __future__ import annotations

import base64
import io
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import polars as pl

from neat_delta.base.errors import InvalidInput
from neat_delta.base.json_form import from_json, json_text
from neat_delta.files.content import ContentInMemory
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.reading.archives import decompress
from neat_delta.reading.frame_rows import FrameRows
from neat_delta.tables import FileFormat, Source, Table, parse_header
from neat_delta.tables.schemas import BadRows

if TYPE_CHECKING:
    from collections.abc import Sequence

BASE_SHEET = "live values"
# In front of each text: of the first so that it is known, of the others so that no program takes one for a formula.
MARK, CHUNK_MARK = "neat-delta live values 1 ", "z"
CHUNK = 30_000
LEVEL = 3


@dataclass(frozen=True)
class SheetBase:
    """What a sheet was made from: checksum, time and name of the live export, and its values in the sheet's cells."""

    sha256: str
    made: datetime | None
    name: str
    table: Table


@dataclass(frozen=True)
class _About:
    """The first text."""

    sha256: str
    name: str
    made: str | None
    columns: tuple[str, ...]
    rows: int
    decimal_separator: Literal[".", ","] | None
    content: str


def packed_base(live: Table, names: Sequence[str], cells: pl.DataFrame) -> list[str]:
    """The texts for a sheet made from a live export; ``cells`` are the live values of its fields ``names``."""
    from neat_delta.files.zstd import compress

    headers = [live.field(name).column for name in names]
    stream = io.BytesIO()
    # (Columns are named by number, for a header may be anything.)
    cells.rename({name: str(at) for at, name in enumerate(cells.columns)}).write_csv(stream, include_header=False)
    data = stream.getvalue()
    made = live.source.made
    mark = live.format.decimal_separator
    about = _About(
        sha256=live.source.sha256,
        name=live.source.name,
        made=made.isoformat() if made else None,
        columns=tuple(headers),
        rows=len(cells),
        decimal_separator="," if mark == "," else "." if mark == "." else None,
        content=sha256_hex(data),
    )
    text = base64.b64encode(compress(data, LEVEL)).decode()
    chunks = [CHUNK_MARK + text[at : at + CHUNK] for at in range(0, len(text), CHUNK)]
    return [MARK + json_text(about), *chunks]


def unpacked_base(texts: Sequence[str]) -> SheetBase | None:
    """What a sheet was made from; ``None`` if these texts are not whole, or none of ours."""
    from neat_delta.files.zstd import ZstdError

    if not texts or not texts[0].startswith(MARK):
        return None
    try:
        about = from_json(texts[0].removeprefix(MARK), _About)
        packed = base64.b64decode("".join(text.removeprefix(CHUNK_MARK) for text in texts[1:]), validate=True)
        data = decompress(ContentInMemory(packed), Path(about.name)).data
        if sha256_hex(data) != about.content:
            return None
        made = datetime.fromisoformat(about.made) if about.made else None
        return SheetBase(about.sha256, made, about.name, _table(about, data, made))
    except (EOFError, ZstdError, ValueError, InvalidInput, pl.exceptions.PolarsError):
        return None  # (what base64 raises is a ValueError)


def _table(about: _About, data: bytes, made: datetime | None) -> Table:
    fields = tuple(field for field in parse_header(about.columns, about.name) if field is not None)
    schema = {field.name: pl.String for field in fields}
    if data.strip():
        frame = pl.read_csv(data, has_header=False, schema=schema, empty_string_is_null=False)
    else:
        frame = pl.DataFrame(schema=schema)
    if len(frame) != about.rows:
        raise ValueError("another number of rows")
    lines = pl.int_range(2, len(frame) + 2, dtype=pl.UInt32, eager=True)
    nothing = BadRows.none()
    form = FileFormat(decimal_separator=about.decimal_separator)
    source = Source(Path(about.name), lambda: about.sha256, known_time=made)
    return Table(source, form, fields, FrameRows(lines, frame), nothing, nothing)

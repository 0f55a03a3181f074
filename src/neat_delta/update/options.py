"""How an update is written."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.update.field_sets import EXACT
from neat_delta.update.import_format import DELIMITED

if TYPE_CHECKING:
    from datetime import datetime

    from neat_delta.approval import Approval


@dataclass(frozen=True)
class WriteOptions:
    """How an update is written.

    Attributes:
        overwrite: an earlier update in the folder is replaced.
        strategy: how cells are packed into files.
        output_format: the format of the files, one of ``output_formats``.
        inverted: the files that undo the change set stand first, those that make it in the folder of the undo.
        as_of: when the live export was made, where its file does not tell.
        saved: the change set's file form, where there is one already.
        approval: who approved the change set.
        gate: whether the approval that the settings want is insisted on; it is not for what takes an update back, which
            is insisted on when that is sent.
    """

    overwrite: bool = False
    strategy: str = EXACT
    output_format: str = DELIMITED
    inverted: bool = False
    as_of: datetime | None = None
    saved: bytes | None = None
    approval: Approval | None = None
    gate: bool = True

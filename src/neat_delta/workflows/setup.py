"""Setup: the settings of a shop, drafted from its live export; what a person has written stays as it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.files.atomic_write import write_atomic
from neat_delta.matching import choose_key
from neat_delta.matching.key_detection import key_candidates, long_key
from neat_delta.matching.long_wide import differing_by_place
from neat_delta.reading import read_bytes, read_table
from neat_delta.tables.config_draft import draft_config
from neat_delta.tables.profile import profile
from neat_delta.tables.settings import RoleSettings
from neat_delta.tables.settings_file import load_settings

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.workflows.view_requests import SetupRequest


@dataclass(frozen=True)
class Drafted:
    """What was drafted.

    Attributes:
        key: the fields that identify an item.
        added: the fields that the file did not have.
        wrote: whether the file was written.
    """

    key: Sequence[str]
    added: Sequence[str]
    wrote: bool


def setup(request: SetupRequest, progress: ProgressReporter = NO_PROGRESS) -> Drafted:
    """Draft the settings, and save them; fields are added to a file that is there only where that is wanted.

    Raises:
        InvalidInput: the export cannot be read as a table, or the file that is there is no TOML.
        InvalidSettings: the file that is there has mistakes.
        AmbiguousKey: no column can be taken as the key without asking.
        WriteError: the file cannot be written.
    """
    existing = ""
    if request.out.exists() and request.out.stat().st_size:
        load_settings(request.out)  # which tells what is wrong with it
        existing = read_bytes(request.out).decode("utf-8-sig")
    live = read_table(request.export, progress, request.read_options())
    columns = profile(live)
    key = choose_key(live, live.names, request.key).fields
    if not request.key:
        key = long_key(key, key_candidates(live, columns), columns)
    spread = differing_by_place(live, key[:1], live.names) if len(key) > 1 else []
    text, added = draft_config(columns, key, live.format, existing, RoleSettings().found(live), spread)
    wrote = bool(added) and (request.yes or not existing)
    if wrote:
        write_atomic(request.out, text.encode(), replace=True)
    return Drafted(key, added, wrote)

"""Tables of several files: what is in none of them must not be taken for emptied, deleted or new."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidOption

if TYPE_CHECKING:
    from neat_delta.tables import Table


def require_all_parts(live: Table, edited: Table, *, cleared: bool, deletes: bool, adds: bool) -> None:
    """Refuse to take what is in no file for emptied, deleted or new; raises ``InvalidOption``."""
    if edited.missing_parts and deletes:
        raise InvalidOption(
            f"a file seems to be missing ({', '.join(edited.missing_parts)}), so its items would be deleted",
            file=edited.source.path,
            option="delete_missing",
            hint="Add the file, or rename the others so that their numbers have no gap.",
        )
    if live.missing_parts and adds:
        raise InvalidOption(
            f"a file of the live export seems to be missing ({', '.join(live.missing_parts)}), so its items would be "
            "added again",
            file=live.source.path,
            option="add_new",
            hint="Add the file, or rename the others so that their numbers have no gap.",
        )
    if edited.incomplete and cleared:
        raise InvalidOption(
            f"blank cells cannot clear fields here, for a blank may mean that a file has no row for the item: "
            f"{'; '.join(edited.remarks)}",
            file=edited.source.path,
            hint="Compare the files one by one, or make all of them complete.",
        )

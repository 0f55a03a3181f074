"""What a person may have meant who gave a name that does not exist."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterable

MOST_LISTED = 40


def nearest_hint(name: str, words: Iterable[str], label: str = "Fields") -> str:
    """The nearest names as a question; where none is near, all names that there are, below a label."""
    import difflib  # only when something is wrong

    shown = {one.lower(): one for one in words}
    near = [shown[one] for one in difflib.get_close_matches(name.lower(), shown, 3, 0.7)]
    near = near or [whole for one, whole in shown.items() if len(name) > 2 and name.lower() in one][:3]
    if near:
        return f"Did you mean {' or '.join(near)}?"
    listed = list(shown.values())
    more = f" and {len(listed) - MOST_LISTED} more" if len(listed) > MOST_LISTED else ""
    return f"{label}: {', '.join(listed[:MOST_LISTED]) or 'none'}{more}."

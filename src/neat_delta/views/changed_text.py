"""A change of a text as one line of a terminal or a page."""

from __future__ import annotations

from rich.text import Text

from neat_delta.analysis.text_diff import CAME, SAME, WENT, in_surroundings, pieces
from neat_delta.tables.field_types import type_named
from neat_delta.views.formatting import STYLES, printable


def changed_text(was: str | None, now: str | None, kind: str, separator: str | None, around: int = 200) -> Text:
    """A change on one line: what went and what came, numbers as a whole and texts within what stayed.

    (old → new) can be read without colours; values of a list have a sign each.
    """
    old, new = Text(printable(was), STYLES["was"]), Text(printable(now), STYLES["now"])
    if type_named(kind).numeric or kind in ("date", "yes/no", "barcode") or was is None or now is None:
        return Text.assemble(old, " → ", new)
    parts = pieces(was, now, separator)
    if separator and len(parts) and {part.text for part in parts} != {was, now}:
        signs = {WENT: ("− ", STYLES["was"]), CAME: ("+ ", STYLES["now"])}
        profile = [Text(signs[part.what][0] + printable(part.text), signs[part.what][1]) for part in parts]
        return Text("   ").join(profile)
    if all(part.what != SAME for part in parts):
        return Text.assemble(old, " → ", new)
    line, shown = Text(), in_surroundings(parts, around)
    for at, part in enumerate(shown):
        after = shown[at + 1].what if at + 1 < len(shown) else SAME
        before = shown[at - 1].what if at else SAME
        if part.what == SAME:
            line.append(printable(part.text))
        elif part.what == WENT:
            alone = after != CAME
            line.append("(− " if alone else "(").append(printable(part.text), STYLES["was"])
            line.append(")" if alone else " → ")
        else:
            line.append("" if before == WENT else "(+ ").append(printable(part.text), STYLES["now"]).append(")")
    return line

"""What the command line knows and the core does not: which option helps against which error."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.errors import NeatDeltaError


def error_text(error: NeatDeltaError) -> str:
    """An error in one line, its argument as the option that it is here, its hint with the option that helps."""
    option = f"--{error.option.replace('_', '-')}" if error.option else None
    hint = HINTS.get(error.code)
    return error.text(option, hint(error.data) if hint else error.hint)


def _no_key_column(data: dict[str, Any]) -> str:
    hints = []
    if data["elsewhere"] is not None:
        column = data["elsewhere"]
        hints.append(f'If the other file has them under another name, say --map "COLUMN={column}".')
        if data["naming"] is not None:
            hints.append(f"If it names items by another field, say so, as with --match-on {data['naming']}.")
    return " ".join([*hints, _key_candidates(data)])


def _key_candidates(data: dict[str, Any]) -> str:
    listed = [f"--key {name} (such as {example})" for name, example in data["candidates"].items()]
    if listed:
        return "Filled and different on every item: " + ", ".join(listed) + "."
    return "No single column is filled and different on every item; name several with --key A --key B."


def _always(text: str) -> Callable[[dict[str, Any]], str]:
    return lambda _: text


HINTS: dict[str, Callable[[dict[str, Any]], str]] = {
    "another-change-set": _always(
        "Give the change set it was made from, or make a new one: neat-delta preview CHANGES --review FILE"
    ),
    "another-live-export": _always("Give the export it was made from with --live, or compare again with this one."),
    "begun-before": _always("Say --resume to go on with it."),
    "export-too-old": _always(
        "Export anew and say: neat-delta refresh CHANGES FRESH --out FILE; or tell its time with --as-of."
    ),
    "file-exists": _always("Say --overwrite, or give another name."),
    "files-seem-swapped": lambda data: (
        f"Say: neat-delta compare {data['live']} {data['edited']}; or --add-new, if not."
    ),
    "files-swapped": lambda data: f"Say: neat-delta compare {data['live']} {data['edited']}",
    "live-export-missing": _always("Say where it is with --live FILE."),
    "no-change-set": _always("Make one with: neat-delta compare … --out FILE"),
    "no-code-changes-in-form": _always("Say --format delimited, tsv or xlsx."),
    "no-common-column": lambda data: (
        f'Say which is which with --map "COLUMN=FIELD"; fields: {data["fields"]}.'
    ),
    "no-key-column": _no_key_column,
    "no-settings-file": _always("Make one with: neat-delta setup EXPORT"),
    "no-table-in-sheet": _always("Name another with --worksheet."),
    "not-done-yet": _always("Say --resume to ask for it again."),
    "shop-exists": _always("Say --overwrite to begin anew with its items as in the export, or name another folder."),
    "too-many-removals": _always(
        "Nothing was removed. See them with --status gone; raise --at-most if they shall all go."
    ),
    "unknown-age": _always("Tell its time with --as-of."),
    "unknown-code-columns": lambda data: f"Say so with --old COLUMN and --new COLUMN; columns: {data['columns']}.",
    "unknown-encoding": _always("Save it as UTF-8, or say which it is with --encoding NAME."),
    "unusable-key": lambda data: (
        f"With --key {data['key']} such rows are refused and the others compared. {_key_candidates(data)}"
    ),
    "update-exists": _always("Say --overwrite to put this update in its place, or name another folder."),
}  # fmt: skip
"""By the code of an error: what to say in place of the core's own hint."""

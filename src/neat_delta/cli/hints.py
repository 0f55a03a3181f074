"""What the command line knows and the core does not: which option helps against which error."""

from __future__ import annotations

import shutil
import sys
from importlib.util import find_spec
from pathlib import Path
from typing import TYPE_CHECKING, Any

from neat_delta.base.shell import ONE_LINE, command_line
from neat_delta.files.own_process import is_one_file

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from neat_delta.base.errors import NeatDeltaError


def error_text(error: NeatDeltaError) -> str:
    """An error in one line, its argument as the option that it is here, its hint with the option that helps."""
    option = f"--{error.option.replace('_', '-')}" if error.option else None
    hint = HINTS.get(error.code)
    return error.text(option, hint({"path": error.file, **error.data}) if hint else error.hint)


def _no_key_column(data: dict[str, Any]) -> str:
    if data.get("mappings"):
        return _mappings(data)
    hints = []
    if data["elsewhere"] is not None:
        column = data["elsewhere"]
        hints.append(f'If the other file has another name for it: --map "COLUMN={column}".')
        if data["naming"]:
            hints.append(f"To match by another field: {_match_on(data['naming'])}.")
    return " ".join([*hints, _key_candidates(data)])


def _mappings(data: dict[str, Any]) -> str:
    """Ready options for the columns whose values or headers say which fields they are."""
    options = [f'--map "{one.column}={one.field}"' for one in data["mappings"]]
    options += [_match_on(data["match_on"])] if data["match_on"] else []
    return f"Try: {' '.join(options)}; or --map-by-values for all of them."


def _match_on(fields: Sequence[str]) -> str:
    return " ".join(f"--match-on {field}" for field in fields)


def _no_common_column(data: dict[str, Any]) -> str:
    if data["header_is_data"]:
        return "The first row looks like data, not like a header: use --header-line 0, then --map the columns."
    return _mappings(data) if data["mappings"] else f'Use --map "COLUMN=FIELD"; fields: {data["fields"]}.'


def _key_candidates(data: dict[str, Any]) -> str:
    listed = [f"--key {name} (such as {example})" for name, example in data["candidates"].items()]
    if listed:
        return "Columns that could identify an item: " + ", ".join(listed) + "."
    return "No single column identifies each item; give several, as --key A --key B."


def _approve(data: dict[str, Any]) -> str:
    other = f" (NAME: another person than {data['maker']})" if data.get("maker") else ""
    return f"Save the change set with --out FILE and have it approved: neat-delta approve FILE --by NAME{other}"


def install(extra: str) -> str:
    """How to install an extra of this package where this program is, by what there is for it."""
    package = f"neat-delta[{extra}]"
    if is_one_file():
        return "The program file cannot be added to; install Neat Delta with Python."
    beside = shutil.which("pip")
    if beside and Path(beside).parent == Path(sys.executable).parent:
        words = ["pip", "install", package]
    elif find_spec("pip"):
        words = [sys.executable, "-m", "pip", "install", package]
    else:
        words = ["uv", "pip", "install", "--python", sys.executable, package]
    return f"Run: {command_line(words, ONE_LINE)[0]}"


def _always(text: str) -> Callable[[dict[str, Any]], str]:
    return lambda _: text


def _lookup_column(data: dict[str, Any]) -> str:
    return f"Give it with --table-column {data['table']}=COLUMN, or {data['table']}=COLUMN=FIELD for another field."


HINTS: dict[str, Callable[[dict[str, Any]], str]] = {
    "no-lookup-column": _lookup_column,
    "another-change-set": _always(
        "Give the change set it was made from, or make a new one: neat-delta preview CHANGES --review FILE"
    ),
    "another-live-export": _always("Give the export it was made from with --live, or run compare again."),
    "not-approved": _approve,
    "begun-before": _always("Use --resume to continue."),
    "export-too-old": _always(
        "Make a new export and run: neat-delta refresh CHANGES FRESH --out FILE; or give its time with --as-of."
    ),
    "file-exists": _always("Use --overwrite, or choose another name."),
    "files-seem-swapped": lambda data: (
        f"Run: neat-delta compare {data['live']} {data['edited']}; or use --add-new."
    ),
    "files-swapped": lambda data: f"Run: neat-delta compare {data['live']} {data['edited']}",
    "several-live-exports": _always("Run refresh on each of them with one new export, then combine the results."),
    "damaged-base": _always("Use --base none to compare it as it is, or make the sheet again."),
    "sent-since": _always(
        "Make a new export and run: neat-delta refresh CHANGES FRESH --out FILE; or send anyway with --overwrite-sent."
    ),
    "base-with-formulas": _always("Compare it with --base none."),
    "live-export-missing": _always("Give it with --live FILE."),
    "no-change-set": _always("Make one with: neat-delta compare … --out FILE"),
    "no-code-changes-in-form": _always("Use --format delimited, tsv, xlsx or parquet."),
    "no-common-column": _no_common_column,
    "no-key-column": _no_key_column,
    "other-format": _always("Compare again with this version of neat-delta, or use the version that made it."),
    "nothing-selected": _always("Use --decisions, --review, --failed, --only, --skip, --where or --items."),
    "not-installed": lambda data: install(data["extra"]),
    "no-settings-file": _always("Make one with: neat-delta setup EXPORT"),
    "no-place": _always("Give one with --to, or write it in catalogue.toml: [send] to."),
    "no-such-past": _always("List what was sent: neat-delta history. List the exports: neat-delta history --exports"),
    "no-table-in-sheet": _always("Choose another with --worksheet."),
    "not-done-yet": _always("Use --resume to ask again."),
    "shop-exists": _always("Use --overwrite to start it again from an export, or choose another folder."),
    "too-many-rows": _always("Select a part (--only, --where, --items), or use --review-by item."),
    "too-many-removals": _always(
        "Nothing was deleted. List them with --status missing; raise --delete-missing to delete them all."
    ),
    "unknown-age": _always("Give its time with --as-of."),
    "unknown-code-columns": lambda data: f"Use --old COLUMN and --new COLUMN; columns: {data['columns']}.",
    "unknown-encoding": _always("Save it as UTF-8, or use --encoding NAME."),
    "unusable-key": lambda data: (
        f"With --key {data['key']} such rows are rejected and the others compared. {_key_candidates(data)}"
    ),
    "update-exists": _always("Use --overwrite, or choose another folder."),
}  # fmt: skip
"""By the code of an error: what to say in place of the core's own hint."""

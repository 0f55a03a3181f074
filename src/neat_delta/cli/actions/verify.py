"""What the command verify does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from rich.text import Text

from neat_delta.base.errors import NeatDeltaError
from neat_delta.base.exit_codes import Exit
from neat_delta.base.shell import free_name
from neat_delta.cli.actions.screen import console, show, show_progress
from neat_delta.cli.common import OutputOptions, load_config, print_error
from neat_delta.cli.envelope import show_json
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.reconcile.three_way import APPLIED
from neat_delta.views.formatting import local_time, pluralize
from neat_delta.views.lines import labelled
from neat_delta.views.verdict import next_command, verdict_view
from neat_delta.views.verify_views import verify_view
from neat_delta.workflows.history import changes_of, history_in, sent_as
from neat_delta.workflows.imported_by_hand import note_import
from neat_delta.workflows.requests import VerifyRequest
from neat_delta.workflows.verify import verify

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.locations import Location
    from neat_delta.reconcile.verify import VerifyResult
    from neat_delta.tables import Table


def verify_command(
    changes: Location,
    fresh: Location,
    limit: int,
    history: Path | None,
    config: Path | None,
    output: OutputOptions,
    **options: Any,
) -> int:
    """After the import: check with a new export (FRESH) what arrived in the shop, and what did not."""
    sent = changes_of(changes, history)
    request = VerifyRequest(changes=sent, fresh=fresh, settings=load_config(config), **options)
    with show_progress(output) as progress:
        verified = verify(request, progress)
        arrived, loaded, out = verified.result, verified.changes, request.out
        noted = None if sent_as(changes, history) else _noted(changes, history, loaded, verified.export, arrived)
    if output.as_json:
        show_json(_as_dict(arrived, out), next_commands=_next(arrived, changes, fresh, out))
    elif not output.quiet:
        if noted is not None:
            show([labelled("history", f"entry {noted}: imported by hand")], output)
        show(_view(arrived, loaded, changes, fresh, out, limit, console(output).width), output)
    return Exit.DONE if arrived.done else Exit.ATTENTION


def _noted(path: Location, history: Path | None, changes: ChangeSet, fresh: Table, arrived: VerifyResult) -> int | None:
    """The history's entry of an update that was imported by hand; what cannot be noted is said."""
    try:
        return note_import(history_in(history), path, changes, fresh, arrived)
    except NeatDeltaError as error:
        print_error(f"not noted in the history: {error}")
        return None


def _as_dict(arrived: VerifyResult, out: Path | None) -> dict[str, object]:

    states = dict(arrived.changes["state"].value_counts().iter_rows())
    rows = [
        row | {"key": row["key"].split(KEY_SEPARATOR)}
        for row in arrived.changes.to_dicts()
        if row["state"] != "applied"
    ]
    return {"done": arrived.done, "states": states, "left": rows, "out": str(out) if out else None}


def _view(
    arrived: VerifyResult, changes: ChangeSet, path: Location, fresh: Location, out: Path | None, limit: int, width: int
) -> Iterator[Text]:

    yield labelled("changes", f"{path.name}   made {local_time(changes.head.made)}")
    yield labelled("compared", fresh.name)
    yield Text()
    names: dict[str, str | None] = dict(changes.items.select("key", "name").iter_rows())
    yield from verify_view(arrived, names, width, limit)
    yield Text()
    if out is not None:
        yield labelled("saved", f"the changes that were not applied, in {out}")
    applied, rest = arrived.count(APPLIED), len(arrived.changes) - arrived.count(APPLIED)
    parts = [
        f"{applied:,} of {pluralize(len(arrived.changes), 'change')} applied",
        *([f"{rest:,} not"] if rest else []),
    ]
    yield from verdict_view(parts, width)
    for words in _next(arrived, path, fresh, out):
        yield from next_command(words, width)


def _next(arrived: VerifyResult, path: Location, fresh: Location, out: Path | None) -> list[list[str]]:
    """What saves the changes that were not applied, then what writes them as a new update."""
    if arrived.remaining.is_empty:
        return []
    if out is None:
        rest_file = free_name("rest.changes.jsonl")
        return [["neat-delta", "verify", str(path), str(fresh), "--out", rest_file]]
    return [["neat-delta", "write", str(out), "-o", free_name("updates"), "--live", str(fresh)]]

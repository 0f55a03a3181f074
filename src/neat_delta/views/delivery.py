"""The terminal views of sending: what went, what became of each row, and the history."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.database.address import is_database
from neat_delta.delivery.answers import unreported, unreported_in
from neat_delta.delivery.history import DONE, default_history
from neat_delta.delivery.sent_mark import place_of_marks
from neat_delta.reconcile.import_report import is_accepted
from neat_delta.views.approval_views import approval_view, approved_text
from neat_delta.views.changes import SOME_ITEMS
from neat_delta.views.formatting import NOTHING, count, format_key, local_time, pluralize, printable
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.preview import more_view
from neat_delta.views.table import Cell, Column, table
from neat_delta.views.verdict import next_command, verdict_view

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from rich.text import Text

    from neat_delta.delivery.history import Entry, FileEntry
    from neat_delta.delivery.update_folder import Update

RESULTS = {"file": pl.String, "line": pl.Int64, "code": pl.String, "result": pl.String, "reason": pl.String}


def results_of(entry: Entry) -> pl.DataFrame:
    """The result lists of all files of an entry as one (file, line, code, result, reason)."""
    rows = [{"file": file.name} | row for file in entry.files for row in file.results]
    return pl.DataFrame(rows, schema=RESULTS)


def sent_view(entry: Entry, saved: Path | None, history: Path | None, width: int) -> Iterator[Text]:
    """What was sent, what the shop made of it, what to do next; ``history`` is it if it is not the usual one."""
    yield from _files(entry, width)
    results = results_of(entry)
    if any(file.reported for file in entry.files):
        yield from _not_taken(entry, results, width)
    else:
        yield from sentence("report", "no import report here; run verify after the next export", width)
    if saved is not None:
        yield labelled("saved", f"the import report, in {saved}")
    yield labelled("history", f"entry {entry.entry} in {history or default_history()}")
    mark = place_of_marks(Path(entry.folder))
    if mark.is_file():
        yield labelled("marked", f"the update as sent, in {mark}")
    yield from _verdict(entry, results, width)
    yield from next_command(verify_command(entry, history), width)
    if not is_database(entry.place):
        yield labelled("", "(after you have made a new export of the shop, here after.csv)")


def plan_view(update: Update, place: str, sent_since: pl.DataFrame, width: int) -> Iterator[Text]:
    """What would be sent: the files, the destination, the age of the export, and what others have sent since."""
    receipt = update.receipt
    yield labelled("from", str(update.folder))
    yield labelled("to", place)
    if update.approval is not None:
        yield from approval_view(update.approval, width)
    made = (
        f", made {local_time(receipt.live_made.isoformat())} ({_age(receipt.live_made)})" if receipt.live_made else ""
    )
    yield from sentence("export", f"{receipt.live_name}{made}", width)
    rows = [[Cell(file.name), Cell(count(file.rows), right=True), Cell(file.action)] for file in receipt.files]
    yield from table([Column("file", least=10), Column("rows", right=True), Column("what")], rows, width)
    if len(sent_since):
        message = f"{pluralize(len(sent_since), 'cell')} sent by another update since this export; refresh first"
        yield from sentence("conflicts", message, width, "error")
        cells = [
            [
                Cell(format_key(row["key"])),
                Cell(row["field"]),
                Cell(printable(row["ours"]), "now"),
                Cell(printable(row["sent"])),
                Cell(f"history #{row['entry']}", "note"),
            ]
            for row in sent_since.head(SOME_ITEMS).iter_rows(named=True)
        ]
        heads = [Column("SKU", least=8), Column("field", least=5), Column("ours", least=8), Column("sent", least=8)]
        yield from table([*heads, Column("by")], cells, width)
        yield from more_view(len(sent_since) - SOME_ITEMS, "cell", "--json lists them all")
    yield from verdict_view([f"{pluralize(len(receipt.files), 'file')} to send", "nothing sent yet"], width)


def _age(made: datetime) -> str:
    """How old an export is, in its largest unit."""
    minutes = int((datetime.now(UTC) - made.astimezone(UTC)).total_seconds() // 60)
    for unit, size in (("day", 24 * 60), ("hour", 60)):
        if minutes >= size:
            return f"{pluralize(minutes // size, unit)} old"
    return f"{pluralize(max(0, minutes), 'minute')} old"


def verify_command(entry: Entry, history: Path | None) -> list[str]:
    """The command that verifies what was sent, once there is a new export; ``history`` if it is not the usual one."""
    # (A database shows by itself how it is now.)
    fresh = entry.place if is_database(entry.place) else "after.csv"
    return ["neat-delta", "verify", str(entry.entry), fresh, *(["--history", str(history)] if history else [])]


def _files(entry: Entry, width: int) -> Iterator[Text]:
    yield labelled("sent to", entry.place)
    rows = []
    for file in entry.files:
        taken = sum(is_accepted(row["result"]) for row in file.results)
        rows.append(
            [
                Cell(file.name),
                Cell(count(file.rows), right=True),
                Cell(file.state or "not sent", "error" if file.state == "rejected" else "plain"),
                Cell(count(taken) if file.reported else NOTHING, "now", right=True),
                _bad(len(file.results) - taken),
                _bad(unreported(file)),
            ]
        )
    heads = [Column("file", least=10), Column("rows", right=True), Column("state")]
    yield from table(
        [*heads, *(Column(head, right=True) for head in ("accepted", "not accepted", "not reported"))], rows, width
    )


def _when(file: FileEntry) -> str:
    """When the history last heard of a file."""
    return local_time(file.at) if file.at else "not sent"


def _bad(number: int) -> Cell:
    return Cell(count(number) if number else NOTHING, "error" if number else "note", right=True)


def _not_taken(entry: Entry, results: pl.DataFrame, width: int) -> Iterator[Text]:
    bad, silent = results.filter(_is_bad(results)), unreported_in(entry)
    if silent:
        message = f"the import report says nothing of {pluralize(silent, 'row')}; verify with a new export"
        yield from sentence("report", message, width, "error")
    if bad.is_empty():
        accepted = f"{count(len(results))} of {pluralize(len(results) + silent, 'row')} accepted"
        yield labelled("accepted", accepted, "warning" if silent else "good")
        return
    yield labelled("rejected", pluralize(len(bad), "row"), "error")
    rows = [
        [Cell("   "), Cell(f"line {line}", "note"), Cell(printable(code)), Cell(answer), Cell(printable(reason))]
        for line, code, answer, reason in bad.head(SOME_ITEMS).select("line", "code", "result", "reason").iter_rows()
    ]
    yield from table([Column(), Column(), Column(least=8), Column(), Column(least=20)], rows, width)
    yield from more_view(len(bad) - SOME_ITEMS, "row", "--import-report FILE saves them all")


def _is_bad(results: pl.DataFrame) -> pl.Series:
    return pl.Series([not is_accepted(answer) for answer in results["result"]], dtype=pl.Boolean)


def history_view(entries: Sequence[Entry], path: Path, width: int, *, of_all: bool = True) -> Iterator[Text]:
    """What was sent, the newest first; ``of_all`` says that nothing was asked for in particular."""
    where = [] if path == default_history() else ["--history", str(path)]
    if not entries:
        yield from verdict_view(["nothing sent yet" if of_all else "nothing was sent that fits"], width)
        yield labelled("history", str(path))
        return
    rows = [
        [
            Cell(str(entry.entry), right=True),
            Cell(local_time(entry.begun)),
            Cell(entry.state, "plain" if entry.state == "done" else "error"),
            Cell(pluralize(len(entry.files), "file")),
            Cell(pluralize(sum(file.rows for file in entry.files), "row")),
            Cell(entry.place),
            Cell(entry.folder, "note"),
        ]
        for entry in entries
    ]
    heads = [Column("entry", right=True), Column("started"), Column("state"), Column("files"), Column("rows")]
    yield from table([*heads, Column("to", least=12), Column("from", least=8)], rows, width)
    yield from verdict_view(_how_many(entries), width)
    yield from next_command(["neat-delta", "history", str(entries[0].entry), *where], width)


def _how_many(entries: Sequence[Entry]) -> list[str]:
    """How many updates were sent, whole or not, and how many not at all."""
    away = [entry for entry in entries if entry.has_left]
    bad, never = sum(entry.state != "done" for entry in away), len(entries) - len(away)
    parts = [f"{pluralize(len(away), 'update')} sent"] if away else []
    parts += [f"{count(bad)} not completely"] if bad else []
    return parts + ([f"{pluralize(never, 'update')} not sent"] if never else [])


def entry_view(entry: Entry, history: Path | None, width: int) -> Iterator[Text]:
    """One entry in full; ``history`` is where it is from if that is not the usual one."""
    yield labelled("entry", f"{entry.entry}, started {local_time(entry.begun)}, {entry.state}")
    yield from sentence("from", entry.folder, width)
    yield labelled("changes", f"checksum {entry.changes[:12]}…, export {entry.live[:12]}…")
    yield from _people(entry, width)
    yield from _files(entry, width)
    for file in entry.files:
        yield labelled("file", f"{file.name}, checksum {file.sha256[:12]}…, {_when(file)}")
        if file.reason:
            yield from sentence("rejected", f"{file.name}: {file.reason}", width, "error")
    results = results_of(entry)
    if any(file.reported for file in entry.files):
        yield from _not_taken(entry, results, width)
    yield from _verdict(entry, results, width)
    yield from next_command(verify_command(entry, history), width)
    if not is_database(entry.place):
        yield labelled("", "(after you have made a new export of the shop, here after.csv)")


def _people(entry: Entry, width: int) -> Iterator[Text]:
    """Who made, approved and sent an update, as far as the history knows it."""
    did = {"made": entry.made_by, "sent": entry.sent_by}
    said = [f"{what} by {printable(who)}" for what, who in did.items() if who]
    if said:
        yield from sentence("people", ", ".join(said), width)
    if entry.approved_by and entry.approved:
        yield from sentence("approved", approved_text(entry.approved_by, entry.approved), width, "good")


def _verdict(entry: Entry, results: pl.DataFrame, width: int) -> Iterator[Text]:
    """How many files were sent, and how many rows the shop accepted."""
    sent = sum(file.state == DONE for file in entry.files)
    bad = len(results.filter(_is_bad(results)))
    parts = [f"{sent} of {pluralize(len(entry.files), 'file')} sent"]
    if any(file.reported for file in entry.files):
        rows = len(results) + unreported_in(entry)
        parts += [f"{count(len(results) - bad)} of {pluralize(rows, 'row')} accepted"]
    yield from verdict_view(parts, width)

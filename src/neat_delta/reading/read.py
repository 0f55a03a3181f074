"""The way in: a path becomes a Catalogue, whatever form the table has."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import replace
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.files.workers import workers
from neat_delta.locations.prefetch import FilePrefetch
from neat_delta.reading.charset import FALLBACK, WORDS_BYTES, detect_by_vocabulary, words_beyond_ascii
from neat_delta.reading.opening import Delimited, Opened, is_workbook
from neat_delta.reading.several_files import open_file
from neat_delta.reading.table_of import to_table
from neat_delta.tables import Table, field_name
from neat_delta.tables.read_options import DEFAULT_OPTIONS, ReadOptions

if TYPE_CHECKING:
    from neat_delta.locations import Location


def read_table(
    path: Location,
    progress: ProgressReporter = NO_PROGRESS,
    options: ReadOptions = DEFAULT_OPTIONS,
    prefetch: FilePrefetch | None = None,
) -> Table:
    """Read a table file as it is: delimited text, a workbook, JSON Lines or XML, also packed with gzip or zip.

    Its form is recognised, but for what is given. ``prefetch`` is the file, where somebody has begun with it.

    Raises:
        InvalidInput: file not found, it is no table, or its header cannot be used.
    """
    progress.step(f"reading {path.name}")
    prefetch = prefetch or FilePrefetch(path)
    return to_table(open_file(path, prefetch, options), prefetch)


def read_strict(
    path: Location, progress: ProgressReporter = NO_PROGRESS, options: ReadOptions = DEFAULT_OPTIONS
) -> Table:
    """Read a table of which every row counts and none can be held back, such as answers, offers or a result list.

    Raises:
        InvalidInput: also where a single row cannot be read.
    """
    table = read_table(path, progress, options)
    require_every_row(table)
    return table


def require_every_row(table: Table) -> None:
    """Refuse a table of which a row cannot be read; raises ``InvalidInput`` with the first such row."""
    if len(table.unreadable_rows):
        line, _, message = table.unreadable_rows.row(0)
        raise InvalidInput(
            f"cannot read this row: {message}", file=table.source.path, line=line, hint="Correct that row."
        )


def read_pair(
    live: Location,
    edited: Location,
    progress: ProgressReporter = NO_PROGRESS,
    edited_options: ReadOptions = DEFAULT_OPTIONS,
    prefetch: FilePrefetch | None = None,
    live_options: ReadOptions = DEFAULT_OPTIONS,
) -> tuple[Table, Table]:
    """Read two files at once, for much of the work is one thread's.

    ``prefetch`` are the two files, where somebody has begun with them.
    """
    prefetch = prefetch or FilePrefetch(live, edited)
    progress.step(f"reading {live.name} and {edited.name}")
    with ThreadPoolExecutor(max_workers=2) as openers:
        # (What holds in this context, such as how much memory may be taken, holds for the threads as well.)
        live_opened, others = (
            openers.submit(copy_context().run, open_file, live, prefetch, live_options),
            openers.submit(copy_context().run, open_file, edited, prefetch, edited_options),
        )
        first, second = _reconcile_encodings(
            live_opened.result(), _on_best_sheet(others.result(), live_opened.result(), prefetch), prefetch
        )
        if _may_be_copies(first, second):
            read = to_table(first, prefetch)
            return read, to_table(second, prefetch, read.rows)
        tables = [openers.submit(copy_context().run, to_table, one, prefetch) for one in (first, second)]
        return tables[0].result(), tables[1].result()


def _on_best_sheet(opened: Opened, live: Opened, prefetch: FilePrefetch) -> Opened:
    """A workbook on the sheet that has the live export's columns, unless it was given which one is meant."""
    if not is_workbook(opened.payload) or isinstance(opened.table, Table) or opened.options.worksheet is not None:
        return opened
    from neat_delta.reading.workbook import best_sheet

    best = best_sheet(opened.payload.data, opened.path, {field_name(column) for column in live.header()} - {""})
    return opened if best is None else open_file(opened.path, prefetch, replace(opened.options, worksheet=best))


def _reconcile_encodings(one: Opened, other: Opened, prefetch: FilePrefetch) -> tuple[Opened, Opened]:
    """Two files about the same items, of which one's character set was a guess that the other's words settle.

    A guess that is wrong would make a change of every name with an accent.
    """
    if one.guessed == other.guessed:
        return one, other
    if one.guessed:
        return _opened_by_words(one, other, prefetch), other
    return one, _opened_by_words(other, one, prefetch)


def _opened_by_words(guessed: Opened, sure: Opened, prefetch: FilePrefetch) -> Opened:
    """The file in the character set that the other one's words speak for.

    Raises:
        InvalidInput: both have words enough to tell, and in no character set are they the same.
    """
    guess = guessed.table.text.encoding if isinstance(guessed.table, Delimited) else FALLBACK
    sample = guessed.payload.content.read(0, WORDS_BYTES)
    match = detect_by_vocabulary(sample, words_beyond_ascii(sure.some_text()), guess)
    if match.doubtful:
        shown = "; ".join(f"as {charset}: {words}" for charset, words in match.readings.items())
        raise InvalidInput(
            f"unknown encoding: in none are its words those of {sure.path.name}; {shown}",
            file=guessed.path,
            hint="Save it as UTF-8, or give its encoding.",
            code="unknown-encoding",
        )
    charset = match.encoding
    return guessed if charset is None else open_file(guessed.path, prefetch, replace(guessed.options, encoding=charset))


def _may_be_copies(one: Opened, other: Opened) -> bool:
    """Whether one file may be a copy of the other but for some records; workers elsewhere need not know."""
    if not isinstance(one.table, Delimited) or not isinstance(other.table, Delimited) or workers().elsewhere:
        return False
    dialect, others = one.table.dialect, other.table.dialect
    same = dialect.delimiter == others.delimiter and dialect.header == others.header
    return same and bool(dialect.header_line) and one.options.keep_non_data == other.options.keep_non_data

"""The terminal view of a written update."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.changeset.schemas import CHANGE
from neat_delta.database.address import DatabaseTable
from neat_delta.views.approval_views import approval_view
from neat_delta.views.formatting import count, local_time, pluralize
from neat_delta.views.lines import LABEL, labelled, sentence
from neat_delta.views.table import GAP, Cell, Column, table
from neat_delta.views.verdict import next_command

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.text import Text

    from neat_delta.tables.import_config import ImportConfig
    from neat_delta.update import Receipt

SOME_FILES = 8
# People type the names of files, so that what is behind them is cut first.
LONGEST_NAME = 40


def update_view(receipt: Receipt, live_name: str, width: int) -> Iterator[Text]:
    """The files in the order to import, and what the proof found."""
    yield from files_table(receipt, width)
    if receipt.filled:
        names = ", ".join(f"{name} {count(cells)}" for name, cells in receipt.filled.items())
        age = local_time(str(receipt.live["as_of"])) if receipt.live["as_of"] else ""
        old = f"with the values of the export of {age}" if age else f"with the current values of {live_name}"
        yield from sentence("filled", f"extra cells, filled {old}: {names}", width, "warning")
    yield from one_file_view(sum(written.action == CHANGE for written in receipt.files), receipt.import_config, width)
    if len({written.action for written in receipt.files}) > 1:
        message = (
            "SKU changes first, then new items, changes, deletions; each kind of file has its own import in the shop"
        )
        yield from sentence("in order", message, width)
    way_back = f"{receipt.folder}/undo restores it" if receipt.undo else "cannot be undone by files"
    proved = (
        f"tested on a copy of {live_name}: these files give exactly the reviewed changes, "
        f"{pluralize(receipt.cells, 'cell')} of {pluralize(receipt.items, 'item')}; {way_back}"
    )
    yield from sentence("proved", proved, width, "good")
    yield from stays_view(receipt, width)
    if receipt.approval is not None:
        yield from approval_view(receipt.approval, width)


def one_file_view(files: int, rules: ImportConfig, width: int) -> Iterator[Text]:
    """What would make one file of several, if anything safe does."""
    if files > 1 and rules.blank is None:
        message = (
            'if your shop ignores blank cells, set blank = "leaves" in [import] of catalogue.toml; or use --pack '
            "one-file (extra cells, filled with current values)"
        )
        yield from sentence("one file", message, width)


def stays_view(receipt: Receipt, width: int) -> Iterator[Text]:
    """How many cells the way back leaves filled, if any."""
    if receipt.irreversible:
        irreversible = "stays" if receipt.irreversible == 1 else "stay"
        message = (
            f"{pluralize(receipt.irreversible, 'cell')} that the update fills {irreversible} filled after the undo: "
            "no file can empty a field in this shop"
        )
        yield from sentence("but", message, width, "warning")


def files_table(receipt: Receipt, width: int) -> Iterator[Text]:
    """The files in the order to import, with their rows and columns."""
    files = receipt.files[:SOME_FILES]
    rows = [
        [
            Cell(("" if at else "update").ljust(LABEL - len(GAP)), "label"),
            Cell(f"{receipt.folder}/{written.file}"),
            Cell(count(written.rows), right=True),
            Cell(f"{'row ' if written.rows == 1 else 'rows'} × {pluralize(len(written.columns), 'column')}"),
            Cell(" ".join(written.columns), "note"),
        ]
        for at, written in enumerate(files)
    ]
    yield from table([Column(), Column(least=LONGEST_NAME), Column(right=True), Column(), Column(least=8)], rows, width)
    more = len(receipt.files) - len(files)
    if more:
        yield labelled("", f"… and {pluralize(more, 'more file')}, all in {receipt.folder}/receipt.json")


def nothing_view(folder: object) -> Text:
    """What is said when there is nothing to send."""
    return labelled("update", f"nothing to change, so no file was written; {folder} is unchanged")


def next_view(receipt: Receipt, width: int, label: str = "next", live: object = None) -> Iterator[Text]:
    """What to do with the files; with those for a table of a database (``live``), send them there."""
    if isinstance(live, DatabaseTable) and live.table:
        yield from next_command(["neat-delta", "send", str(receipt.folder), "--to", str(live)], width, label)
        return
    keep = f"; keep {receipt.folder}/undo" if receipt.undo else ""
    yield from sentence(label, f"import the files of {receipt.folder} in this order{keep}", width)

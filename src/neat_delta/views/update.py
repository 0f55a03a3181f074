"""The terminal view of a written update."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.changeset.changeset import CHANGE
from neat_delta.views.formatting import count, pluralize
from neat_delta.views.lines import LABEL, labelled, sentence
from neat_delta.views.table import GAP, Cell, Column, table

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.text import Text

    from neat_delta.tables.settings import ImportConfig
    from neat_delta.update import Receipt

SOME_FILES = 8
# People type the names of files, so that what stands behind them is cut first.
LONGEST_NAME = 40


def update_view(receipt: Receipt, live_name: str, width: int) -> Iterator[Text]:
    """The files in the order to import, and what the proof found."""
    yield from files_table(receipt, width)
    if receipt.filled:
        names = ", ".join(f"{name} {count(cells)}" for name, cells in receipt.filled.items())
        age = str(receipt.live["as_of"] or "").replace("T", " ").removesuffix("Z")
        old = f"as the export of {age} UTC has them" if age else f"as {live_name} has them"
        yield from sentence("filled", f"cells that do not change, {old}: {names}", width, "warning")
    yield from one_file_view(sum(written.action == CHANGE for written in receipt.files), receipt.import_config, width)
    if len({written.action for written in receipt.files}) > 1:
        message = "codes first, then new items, changes, removals; each sort of file has its own way in at the shop"
        yield from sentence("in order", message, width)
    way_back = f"{receipt.folder}/undo turns it back" if receipt.undo else "no files can turn it back"
    proved = (
        f"these files turn {live_name} into exactly the edited catalogue, {pluralize(receipt.cells, 'cell')} of "
        f"{pluralize(receipt.items, 'item')}; {way_back}"
    )
    yield from sentence("proved", proved, width, "good")
    yield from stays_view(receipt, width)


def one_file_view(files: int, rules: ImportConfig, width: int) -> Iterator[Text]:
    """What would make one file of several, if anything safe does."""
    if files > 1 and rules.blank is None:
        message = (
            'if your shop leaves a field alone where a cell is blank, write blank = "leaves" below [import] in '
            "catalogue.toml; --pack fewest-files fills other cells than prices and stock with the export's values"
        )
        yield from sentence("one file", message, width)


def stays_view(receipt: Receipt, width: int) -> Iterator[Text]:
    """How many cells the way back leaves filled, if any."""
    if receipt.irreversible:
        irreversible = "stays" if receipt.irreversible == 1 else "stay"
        message = (
            f"{pluralize(receipt.irreversible, 'cell')} that the update fills {irreversible} filled by the undo, for "
            "no file can "
            "empty a field in this shop"
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
    return labelled("update", f"nothing to change, so no file was written; {folder} was left as it was")


def next_view(receipt: Receipt, width: int) -> Iterator[Text]:
    """What to do with the files."""
    keep = f"; keep {receipt.folder}/undo" if receipt.undo else ""
    yield from sentence("next", f"import the files of {receipt.folder} in this order{keep}", width)

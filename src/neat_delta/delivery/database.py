"""A database as the shop: an update changes its rows in one transaction, each only if it is as the export had it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from neat_delta.base.errors import DeliveryError, InvalidInput
from neat_delta.base.json_form import to_json
from neat_delta.changeset.schemas import ADD, CHANGE, REMOVE
from neat_delta.changeset.serialization import parse_changes
from neat_delta.database.connection import connected
from neat_delta.database.row_updates import RowUpdate, run_updates
from neat_delta.delivery.history import ResultLine
from neat_delta.matching import KEY_SEPARATOR

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.database.address import DatabaseTable
    from neat_delta.delivery.destinations import DeliveryResult


@dataclass(frozen=True)
class DatabaseDestination:
    """A table of a database; it takes the change set as a whole, so that all of it is one transaction."""

    address: DatabaseTable
    say: Callable[[str], None] = lambda _: None
    results: dict[str, list[dict[str, Any]]] = field(default_factory=dict)

    takes_changes = True
    hands_over_at_once = True

    @property
    def name(self) -> str:
        """The address, in one spelling."""
        return self.address.canonical

    def check(self) -> None:
        """See that it is a table, and that it can be reached."""
        if self.address.query or not self.address.table:
            raise DeliveryError("an update goes to a table", file=self.address, hint="Write ?table=NAME.")
        with _delivering(), connected(self.address) as connection:
            from neat_delta.database.connection import table_of

            table_of(connection, self.address)

    def upload(self, name: str, data: bytes, mark: str) -> None:
        """Nothing: the rows go in one step."""

    def submit(self, name: str, data: bytes, action: str, mark: str) -> str | None:
        """Change the rows. What was changed before, by a run that was cut off, is known by its new values."""
        changes = parse_changes(data, self.address)
        if changes.new_keys():
            raise DeliveryError(
                "SKU changes cannot be sent to a database",
                file=self.address,
                hint="Write them as a table.",
                code="no-code-changes-in-form",
            )
        updates = updates_of(changes)
        with _delivering(), connected(self.address, write=True) as connection:
            done = run_updates(connection, self.address, _columns_of(changes), updates, self.say)
        rows = [
            ResultLine(None, update.shown, answer, reason)
            for update, (answer, reason) in zip(updates, done, strict=True)
        ]
        self.results[mark] = [to_json(row) for row in rows]
        return mark

    def wait_for_result(self, job: str | None) -> DeliveryResult:
        """What became of each row; nothing where another run has changed them."""
        from neat_delta.delivery.destinations import DeliveryResult

        return DeliveryResult(None, None, self.results.get(job or ""))


class _delivering:  # noqa: N801 (reads as a word where it is used)
    """What goes wrong with a database, as what goes wrong with a delivery."""

    def __enter__(self) -> None:
        pass

    def __exit__(self, _: object, error: BaseException | None, __: object) -> None:
        if isinstance(error, InvalidInput):
            raise DeliveryError(error.what, file=error.file, hint=error.hint) from error


def updates_of(changes: ChangeSet) -> list[RowUpdate]:
    """What a change set does to the rows of a table, by the columns of the live export."""
    columns = {name: info.column for name, info in changes.head.fields.items()}
    cells: dict[str, dict[str, tuple[str | None, str | None]]] = {}
    for key, name, was, now in changes.cells.select("key", "field", "was", "now").iter_rows():
        cells.setdefault(key, {})[columns[name]] = (was, now)
    updates = []
    for key, action in changes.items.select("key", "action").iter_rows():
        if action in (ADD, CHANGE, REMOVE):
            fields = cells.get(key, {})
            was = {} if action == ADD else {name: before for name, (before, _) in fields.items()}
            now = {} if action == REMOVE else {name: after for name, (_, after) in fields.items()}
            updates.append(RowUpdate(action, tuple(key.split(KEY_SEPARATOR)), was, now))
    return updates


def _columns_of(changes: ChangeSet) -> list[str]:
    """The key's columns in the live export."""
    return [changes.head.fields[name].column for name in changes.head.key]

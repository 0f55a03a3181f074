"""What nearly everything needs to know together: the live export, its settings, its key, and what its columns are."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from neat_delta.tables.type_inference import infer_column_format, resolve_type

if TYPE_CHECKING:
    from neat_delta.matching.key import Key
    from neat_delta.matching.lookups import Lookup
    from neat_delta.tables import Table
    from neat_delta.tables.field_types import FieldType
    from neat_delta.tables.settings import FieldSettings, Settings


@dataclass(frozen=True)
class Column:
    """A live column: its type, and how it writes that type's values (the format is the type's own affair)."""

    type: FieldType
    format: Any

    @property
    def decimal_separator(self) -> str | None:
        """The decimal separator, of a type that has one."""
        return getattr(self.format, "decimal_separator", None)

    @property
    def separator(self) -> str | None:
        """What parts several values in one cell; ``None`` where a cell holds one."""
        return getattr(self.type, "separator", None)


@dataclass(frozen=True)
class Context:
    """The live export with its settings and its key; made once and passed on."""

    live: Table
    settings: Settings
    key: Key
    _columns: dict[str, Column] = field(default_factory=dict, compare=False, repr=False)
    _lookups: dict[str, Lookup] = field(default_factory=dict, compare=False, repr=False)

    def lookup(self, name: str) -> Lookup:
        """The table of this name that formulas look values up in; read once.

        Raises:
            InvalidInput: it cannot be read.
            InvalidOption: nobody can tell by which column its rows are found.
        """
        if name not in self._lookups:
            from neat_delta.matching.lookups import read_lookup

            self._lookups[name] = read_lookup(name, self.settings.tables[name], self.settings, self.live, self.key)
        return self._lookups[name]

    def configured(self, name: str) -> FieldSettings:
        """What is configured of a field."""
        return self.settings.field(name)

    def type_of(self, name: str) -> FieldType:
        """The type of a live column: as configured, else as its values show."""
        resolved = self._columns.get(name)
        return resolved.type if resolved else resolve_type(self.live.distinct_values(name), name, self.configured(name))

    def column(self, name: str) -> Column:
        """Type and format of a live column, resolved once."""
        if name not in self._columns:
            configured = self.configured(name)
            resolved = resolve_type(self.live.distinct_values(name), name, configured)
            self._columns[name] = Column(resolved, infer_column_format(self.live, name, resolved, configured))
        return self._columns[name]

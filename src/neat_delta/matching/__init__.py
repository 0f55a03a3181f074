"""Whose row is whose: column names to fields, the key, repeated keys, and the rows worth comparing."""

from neat_delta.matching.column_mapping import ColumnMapping, match_columns
from neat_delta.matching.key import KEY_SEPARATOR, Key, choose_key
from neat_delta.matching.row_matching import RowMatches, match_rows

__all__ = ["KEY_SEPARATOR", "ColumnMapping", "Key", "RowMatches", "choose_key", "match_columns", "match_rows"]

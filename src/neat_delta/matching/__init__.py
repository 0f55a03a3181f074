"""Whose row is whose: column names to fields, the key, repeated keys, and the rows worth comparing."""

from neat_delta.matching.column_mapping import Matched, match_columns
from neat_delta.matching.key import JOINT, Key, choose_key
from neat_delta.matching.row_matching import Pairing, pair_rows

__all__ = ["JOINT", "Key", "Matched", "Pairing", "choose_key", "match_columns", "pair_rows"]

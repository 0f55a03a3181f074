"""A list's settings, kept in catalogue.toml for next month."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import tomlkit

from neat_delta.tables import DELIMITERS

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.tables.settings import SupplierProfile


def with_profile(existing: str, name: str, profile: SupplierProfile, columns_today: Mapping[str, str]) -> str:
    """The text of a catalogue.toml with this profile in its section; every other line stays as it is.

    ``columns_today`` are the columns that the file has now and what they hold, to find differences next time.
    """
    document = tomlkit.parse(existing)
    if "profiles" not in document:
        document.add("profiles", tomlkit.table(is_super_table=True))
    form = profile.format
    described: dict[str, Any] = {
        "delimiter": DELIMITERS.get(form.delimiter or ""),
        "encoding": form.encoding,
        "decimal": form.decimal_separator,
        "header_line": form.header_line,
        "worksheet": form.worksheet,
        "columns": dict(profile.columns),
        "skip": list(profile.skip),
        "match_on": profile.match_on[0] if len(profile.match_on) == 1 else list(profile.match_on),
        "constants": dict(profile.constants),
        "add": list(profile.added),
        "set": list(profile.rules),
        "set_new": list(profile.rules_new),
        "new_sku": profile.new_sku,
        "columns_last_time": _inline(columns_today),
    }
    section = tomlkit.table()
    for key, value in described.items():
        if value not in (None, {}, []):
            section.add(key, _inline(value) if isinstance(value, dict) else value)
    # Answers may be many, and read better one a line.
    if profile.codes:
        section.add("codes", dict(profile.codes))
    if profile.values:
        section.add("values", {field: dict(pairs) for field, pairs in profile.values.items()})
    document["profiles"][name] = section
    return tomlkit.dumps(document)


def _inline(pairs: Mapping[str, str]) -> tomlkit.items.InlineTable:
    table = tomlkit.inline_table()
    table.update(pairs)
    return table

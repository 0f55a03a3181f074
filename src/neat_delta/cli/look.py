"""neat-delta look."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from neat_delta.cli.common import (
    SOURCE,
    FileForm,
    Manners,
    catalogue_file,
    console,
    file_form,
    manners,
    progress,
    settled_in,
    show,
    show_json,
)
from neat_delta.cli.exits import Exit

if TYPE_CHECKING:
    from pathlib import Path

    import polars as pl

    from neat_delta.matching.key_detection import KeyCandidates
    from neat_delta.remote import Where
    from neat_delta.tables import Catalogue
    from neat_delta.tables.profile import ColumnProfile
    from neat_delta.tables.settings import Settings


@click.command("look")
@click.argument("file", type=SOURCE)
@catalogue_file
@file_form
@manners
def look_command(
    file: Where,
    settings: Path | None,
    form: FileForm,
    spoken: Manners,
) -> int:
    """Look at a table FILE: how it is written, its first rows, what its columns hold, what could be the key.

    Delimited text, XLSX, ODS, JSON Lines and XML, also packed with gzip or zip; "-" is standard input. With a
    catalogue.toml, also how its columns match the fields that are settled there.
    """
    from concurrent.futures import ThreadPoolExecutor

    from neat_delta.prefetch import Begun

    begun = Begun(file, fingerprints=False)
    # Now that the file is on its way, there is time to load what is needed to read it, and then to judge it.
    from neat_delta.reading import read_catalogue

    with progress(spoken) as voice, ThreadPoolExecutor(max_workers=1) as reader:
        reading = reader.submit(read_catalogue, file, voice, form.told(), begun)
        settled = settled_in(settings)
        from neat_delta.matching.key_detection import key_candidates
        from neat_delta.tables.corruption import profile_and_damage
        from neat_delta.views.overview import overview

        catalogue = reading.result().renamed(settled.names())
        voice.step("counting values")
        columns, marks = profile_and_damage(catalogue, settled)
        keys = key_candidates(catalogue, columns)
    if spoken.as_json:
        show_json(_as_dict(catalogue, columns, keys, marks, settled))
    elif not spoken.quiet:
        show(overview(catalogue, columns, keys, marks, settled, console(spoken).width), spoken)
    return Exit.ATTENTION if len(catalogue.bad) else Exit.DONE


def _as_dict(
    catalogue: Catalogue, columns: list[ColumnProfile], keys: KeyCandidates, marks: pl.DataFrame, settled: Settings
) -> dict[str, Any]:
    from dataclasses import asdict

    return {
        "file": catalogue.source.name,
        "sha256": catalogue.source.sha256,
        "rows": len(catalogue),
        "form": asdict(catalogue.form),
        "unnamed": catalogue.unnamed,
        "key": asdict(keys),
        "columns": [
            {
                "column": column.column,
                "field": column.field,
                "kind": column.kind,
                "filled": column.filled,
                "distinct": column.distinct,
                "smallest": column.smallest,
                "largest": column.largest,
                "commonest": [{"value": value, "cells": cells} for value, cells in column.commonest],
            }
            for column in columns
        ],
        "unreadable": catalogue.bad.select("line", "say").to_dicts(),
        "no_data": catalogue.apart.select("line", "say").to_dicts(),
        "damaged": marks.to_dicts(),
        "catalogue": {
            "file": str(settled.path),
            "unknown": settled.unknown_in(catalogue.names),
            "missing": settled.missing_in(catalogue.names),
        }
        if settled.path
        else None,
    }

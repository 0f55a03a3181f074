"""The files of a run as they were when it read them, in the folder of the run."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.database.address import DatabaseTable
from neat_delta.files.atomic_write import write_atomic
from neat_delta.locations import FileSet
from neat_delta.locations.listing import Member, members_of
from neat_delta.locations.prefetch import read_bytes

if TYPE_CHECKING:
    from neat_delta.base.progress import ProgressReporter
    from neat_delta.locations import Location
    from neat_delta.workflows.scheduled.report import RunReport


def fetch(report: RunReport, progress: ProgressReporter, name: str, where: Location, prefix: str) -> Location:
    """Keep a file, or several, as they are now, for everything that follows and for whoever looks into it later."""
    with report.step(name, progress) as step:
        members = members_of(where) if isinstance(where, FileSet) else [Member(where, where.name)]
        folder = report.folder if len(members) == 1 else report.folder / name
        folder.mkdir(exist_ok=True)
        kept, size = [], 0
        for at, member in enumerate(members, start=1):
            # (Files of several folders may share a name.)
            file_name = f"{member.location.name}{'.csv' * isinstance(member.location, DatabaseTable)}"
            plain = file_name if member.name == member.location.name else f"{at}-{file_name}"
            kept.append(folder / (prefix + plain))
            data = read_bytes(member.location)
            size += len(data)
            write_atomic(kept[-1], data, replace=True)
            if isinstance(member.location, Path):
                shutil.copystat(member.location, kept[-1])  # its age counts
        what = str(where) if len(members) == 1 else f"{where} ({len(members)} files)"
        if isinstance(where, FileSet) and len(members) == 1:
            what = f"{where} ({members[0].name})"
        step.message = f"{what}, {size:,} bytes"
        return kept[0] if len(kept) == 1 else FileSet(str(where), tuple(kept))

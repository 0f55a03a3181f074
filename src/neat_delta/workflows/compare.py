"""Compare: a live export and edited files give a checked change set, which is saved and written as is wanted."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidOption
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.tables import Table
from neat_delta.workflows.inputs import read_edited, read_inputs, read_live
from neat_delta.workflows.requests import FileOptions
from neat_delta.workflows.supplier import profile_of, with_tables
from neat_delta.workflows.targets import check_folder, check_targets

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.diff.compare import CompareResult
    from neat_delta.locations import Location
    from neat_delta.locations.prefetch import FilePrefetch
    from neat_delta.matching.supplier_mapping import ColumnMatch
    from neat_delta.reconcile.combine import CombineResult
    from neat_delta.tables.settings import Settings, SupplierProfile
    from neat_delta.update import Receipt
    from neat_delta.workflows.requests import CompareRequest


@dataclass(frozen=True)
class Compared:
    """What a comparison has made.

    Attributes:
        results: the comparison of each edited file.
        matches: which of its columns stands for which field, of the first file.
        profile: how the first file was mapped to the shop's fields.
        settings: what was configured, with the tables of the request.
        combined: the files together; ``None`` if there is one file.
        receipt: the update; ``None`` if none was wanted, or there is nothing to change.
    """

    results: tuple[CompareResult, ...]
    matches: tuple[ColumnMatch, ...]
    profile: SupplierProfile
    settings: Settings
    combined: CombineResult | None = None
    receipt: Receipt | None = None

    @property
    def changes(self) -> ChangeSet:
        """The change set of all files."""
        return self.results[0].changes if self.combined is None else self.combined.changes

    @property
    def live(self) -> Table:
        """The live export."""
        return self.results[0].live


def compare(
    request: CompareRequest, progress: ProgressReporter = NO_PROGRESS, prefetch: FilePrefetch | None = None
) -> Compared:
    """Compare, check, and save and write what is wanted; ``prefetch`` has the bytes of the files on their way.

    Raises:
        InvalidOption: an option names what does not exist.
        AmbiguousKey: no column can be taken as the key without asking.
        InvalidInput: a file cannot be read as a table.
        WriteError, LiveMismatch, NotApproved, ProofFailed: as for ``publish``.
    """
    check_targets(request)
    _insist_on_one_file(request)
    settings = with_tables(request, request.settings)
    of_files = request.files or (FileOptions(),) * len(request.edited)
    profile = _profile_of(request, of_files[0], settings)
    with ThreadPoolExecutor(max_workers=1) as reader:
        read = partial(_read, request.live, request.edited[0], settings, profile, progress, prefetch)
        reading = reader.submit(copy_context().run, read)
        # While the files are read there is time to load what compares them.
        from neat_delta.workflows.compare_steps import Steps

        live, edited = reading.result()
    check_folder(request)
    steps = Steps(request, settings, progress)
    first = steps.compare(live, edited, profile, of_files[0].origin)
    if len(request.edited) == 1:
        receipt = steps.publish(first, edited)
        return Compared((first.result,), first.matches, first.profile, settings, None, receipt)
    results = [first.result]
    for file, of_file in zip(request.edited[1:], of_files[1:], strict=True):
        profile = _profile_of(request, of_file, settings)
        tables = _read(request.live, file, settings, profile, progress)
        results.append(steps.compare(*tables, profile, of_file.origin).result)
    combined, receipt = steps.publish_combined(results)
    return Compared(tuple(results), first.matches, first.profile, settings, combined, receipt)


def _profile_of(request: CompareRequest, of_file: FileOptions, settings: Settings) -> SupplierProfile:
    """How one of the edited files is mapped: by what is said of all, and of this one."""
    own_request = replace(request, profile=of_file.profile or request.profile, set=(*request.set, *of_file.set))
    return profile_of(own_request, settings)


def _read(
    live: Table | Location,
    edited: Table | Location,
    settings: Settings,
    profile: SupplierProfile,
    progress: ProgressReporter,
    prefetch: FilePrefetch | None = None,
) -> tuple[Table, Table]:
    """The live export, its columns under the names of their fields, and the edited file as it came."""
    if not isinstance(live, Table) and not isinstance(edited, Table):
        return read_inputs(live, edited, settings, profile, progress, prefetch)
    live_table = live.renamed(settings.names()) if isinstance(live, Table) else read_live(live, settings, progress)
    return live_table, edited if isinstance(edited, Table) else read_edited(edited, profile, progress)


def _insist_on_one_file(request: CompareRequest) -> None:
    """Refuse options that are about the rows of one file, where there are several.

    Raises:
        InvalidOption: one of these options is given.
    """
    if not request.edited:
        raise InvalidOption("there is no edited file", option="edited", hint="Give at least one.")
    about_one = {"problems": request.problems is not None, "save_profile": bool(request.save_profile)}
    for option, is_given in about_one.items():
        if is_given and len(request.edited) > 1:
            hint = "Compare that file alone first."
            raise InvalidOption("this option is about one edited file", option=option, hint=hint)

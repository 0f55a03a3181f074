"""What is drawn of a change set for a preview: the page for a browser, and the charts."""

from __future__ import annotations

from contextlib import suppress
from importlib import import_module
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING

from neat_delta.base.path_text import path_text
from neat_delta.base.shell import ONE_LINE, command_line, free_name
from neat_delta.changeset.changeset import ChangeSet
from neat_delta.changeset.serialization import dump_changes
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.views.approval_views import approval_state
from neat_delta.views.page import PageName, review_page_of
from neat_delta.views.plots import insist_on_charts, plots
from neat_delta.workflows.approvals import approval_beside

if TYPE_CHECKING:
    from neat_delta.base.progress import ProgressReporter
    from neat_delta.locations import Location
    from neat_delta.tables.settings import Settings
    from neat_delta.workflows.preview import Preview
    from neat_delta.workflows.view_requests import PreviewRequest


def begin_to_draw(request: PreviewRequest) -> None:
    """Load what draws while the files are read, where something is to be drawn.

    Raises:
        NotInstalled: charts are wanted, and what draws them is not installed.
    """
    if request.charts:
        insist_on_charts()
    if request.page or request.charts:
        Thread(target=_load, daemon=True).start()


def _load() -> None:
    for package in ("jinja2", "matplotlib.figure", "matplotlib.backends.backend_svg"):
        with suppress(ImportError):
            import_module(package)


def draw(request: PreviewRequest, seen: Preview, progress: ProgressReporter) -> dict[str, dict[Path, bytes]]:
    """The files of the page and the charts, as far as they are wanted, by what they are."""
    files: dict[str, dict[Path, bytes]] = {}
    if seen.both is None:
        return files
    if request.page is not None:
        progress.step("writing the page")
        name = page_name(request.changes, seen.whole, request.settings)
        files["page"] = {request.page: review_page_of(seen.both, request.settings, name)}
    if request.charts is not None:
        progress.step("drawing")
        files["charts"] = {request.charts / file: data for file, data in plots(seen.both, request.settings).items()}
    return files


def page_name(place: ChangeSet | Location, whole: ChangeSet, settings: Settings) -> PageName:
    """By what the page is called, and what takes the decisions that are made in it."""
    # (A program may have it in memory only.)
    path = Path("new.changes.jsonl") if isinstance(place, ChangeSet) else place
    stem = path_text(path.name).split(".")[0]
    decisions = f"{stem}.decisions.json"
    words = ["neat-delta", "pick", str(path), "--decisions", decisions, "--out"]
    command = command_line([*words, free_name(f"{stem}-accepted.changes.jsonl")], ONE_LINE)[0]
    name, checksum = path_text(path.name), sha256_hex(dump_changes(whole))
    return PageName(name, checksum, decisions, path_text(command), approval_of(path, whole, settings))


def approval_of(place: Location, whole: ChangeSet, settings: Settings) -> str:
    """Who approved the change set; empty if nobody did."""
    approval = approval_beside(place, whole, settings)
    return approval_state(*approval) if approval else ""

"""What the command compare does: one edited file or several, compared and shown."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.cli.actions.changeset_output import Outcome, render_result
from neat_delta.cli.actions.compare_several import render_several
from neat_delta.cli.actions.screen import show_progress
from neat_delta.tables import field_name
from neat_delta.views.comparison import files_view
from neat_delta.views.supplier_views import saved_view, supplier_view
from neat_delta.workflows.compare import Compared, compare

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.text import Text

    from neat_delta.base.exit_codes import Exit
    from neat_delta.cli.changeset_output import DisplayChoice
    from neat_delta.cli.common import OutputOptions
    from neat_delta.locations.prefetch import FilePrefetch
    from neat_delta.workflows.requests import CompareRequest


def compare_files(
    request: CompareRequest, display: DisplayChoice, output: OutputOptions, prefetch: FilePrefetch
) -> Exit:
    """Compare, with files whose reading has begun, and show what came of it."""
    with show_progress(output) as progress:
        compared = compare(request, progress, prefetch)
    if compared.combined is not None:
        return render_several(compared, request, display, output)

    def head(width: int) -> Iterator[Text]:
        return _head(compared, request, width)

    outcome = Outcome(compared.results[0], compared.receipt, compared.settings, request, display)
    return render_result(outcome, output, head, compared.matches)


def _head(compared: Compared, request: CompareRequest, width: int) -> Iterator[Text]:
    """The two files, and how the columns of a supplier's file were mapped."""
    comparison, matches, profile = compared.results[0], compared.matches, compared.profile
    as_list = profile.is_configured or any(match.field and field_name(match.column) != match.field for match in matches)
    yield from files_view(comparison, width, columns=not as_list)
    if as_list:
        yield from supplier_view(matches, profile, comparison.changes, width)
    if request.save_profile:
        yield from saved_view(request.save_profile, compared.settings.path, width)

"""What the command explain does."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING

from neat_delta.base.exit_codes import Exit
from neat_delta.cli.actions.screen import console, show
from neat_delta.cli.envelope import show_json
from neat_delta.views.glossary import term_view, terms, terms_named, terms_view

if TYPE_CHECKING:
    from neat_delta.cli.common import OutputOptions


def explain_command(name: tuple[str, ...], output: OutputOptions) -> int:
    """Explain a NAME on the screen: a check, row state, level, type, setting, exit code or error code."""
    explained = terms_named(" ".join(name)) if name else terms()
    if output.as_json:
        show_json([asdict(term) for term in explained])
    elif not output.quiet:
        width = console(output).width
        show((line for term in explained for line in term_view(term, width)) if name else terms_view(width), output)
    return Exit.DONE

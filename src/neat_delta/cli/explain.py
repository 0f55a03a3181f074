"""neat-delta explain."""

from __future__ import annotations

import click

from neat_delta.base.exit_codes import Exit
from neat_delta.cli.common import OutputOptions, console, output_options, show
from neat_delta.cli.envelope import show_json
from neat_delta.cli.help import command


@command(
    "explain",
    'neat-delta explain "decimal slip"',
    "neat-delta explain largest_change",
)
@click.argument("name", nargs=-1)
@output_options
def explain_command(name: tuple[str, ...], output: OutputOptions) -> int:
    """Explain a NAME on the screen: a check, row state, level, type, setting, exit code or error code.

    With an example, how to fix it, and how to let it through in one run. Without a NAME, all names are listed.
    """
    from dataclasses import asdict

    from neat_delta.views.glossary import term_view, terms, terms_named, terms_view

    found = terms_named(" ".join(name)) if name else terms()
    if output.as_json:
        show_json([asdict(term) for term in found])
    elif not output.quiet:
        width = console(output).width
        show((line for term in found for line in term_view(term, width)) if name else terms_view(width), output)
    return Exit.DONE

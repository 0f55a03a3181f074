"""Options and manners that all commands share."""

from __future__ import annotations

import functools
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from neat_delta.base.errors import NeatDeltaError
from neat_delta.base.options import DISPLAY, OUTPUT, READING
from neat_delta.cli.help import option
from neat_delta.cli.param_types import FILE, MemorySize
from neat_delta.files.memory import limited_to

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from neat_delta.tables.settings import Settings

F = TypeVar("F", bound="Callable[..., Any]")


OVERWRITE = option(OUTPUT, "--overwrite", is_flag=True, help="Overwrite the output file if it exists.")


class OutputOptions(NamedTuple):
    """How a command speaks: JSON only, nothing but problems, without colours."""

    as_json: bool
    quiet: bool
    no_colour: bool


def bundle_options(make: Callable[..., Any], name: str, options: Sequence[Callable[[F], F]], command: F) -> F:
    """A command with these options, which reach it as one value under this name: what ``make`` makes of them."""

    @functools.wraps(command)
    def bundling(*args: Any, **given: Any) -> Any:
        given[name] = make(**{param: given.pop(param) for param in names})
        return command(*args, **given)

    before = len(getattr(bundling, "__click_params__", ()))
    for decorate in reversed(options):
        bundling = decorate(bundling)
    names = [str(param.name) for param in bundling.__click_params__[before:]]  # type: ignore[attr-defined]
    return bundling  # type: ignore[return-value]


def output_options(command: F) -> F:
    """Add --json, --quiet and --no-colour to a command, as ``output``."""
    options = (
        option(DISPLAY, "--json", "as_json", is_flag=True, help="Print only JSON."),
        option(DISPLAY, "--quiet", is_flag=True, help="Print only problems, to standard error."),
        option(DISPLAY, "--no-colour", is_flag=True, help="No colours (or set NO_COLOR)."),
    )
    return bundle_options(OutputOptions, "output", options, command)


def catalogue_file(command: F) -> F:
    """Add --catalogue, and --memory, which goes with all that read a catalogue."""
    settings = option(
        READING,
        "--catalogue",
        "config",
        type=FILE,
        metavar="FILE",
        help="Settings file.  [default: ./catalogue.toml, if present]",
    )
    return settings(machine_options(command))


def machine_options(command: F) -> F:
    """Add --memory and --cluster, which hold as long as the command runs."""

    def limit(ctx: click.Context, _: click.Parameter, size: int | None) -> None:
        ctx.with_resource(limited_to(size))

    def join(ctx: click.Context, _: click.Parameter, address: str | None) -> None:
        if address is not None:
            from neat_delta.files.cluster import cluster

            ctx.with_resource(cluster(address))

    workers = option(
        READING,
        "--cluster",
        metavar="ADDRESS",
        envvar="NEAT_DELTA_CLUSTER",
        callback=join,
        expose_value=False,
        help="Dask scheduler whose workers help to read, such as tcp://host:8786; local starts some here.",
    )
    memory = option(
        READING,
        "--memory",
        type=MemorySize(),
        metavar="SIZE",
        envvar="NEAT_DELTA_MEMORY",
        callback=limit,
        expose_value=False,
        help="Memory to use at most, such as 8GB; larger files are read in pieces.  [default: 75 % of the memory]",
    )
    return memory(workers(command))


def load_config(given: Path | None) -> Settings:
    """The settings of a catalogue.toml: the one given, the one in this folder, or none at all."""
    from neat_delta.tables.settings import NAME, Settings

    here = Path(NAME)
    if given is None and not here.is_file():
        return Settings()
    from neat_delta.tables.settings_file import load_settings

    return load_settings(given or here)


def print_lines(text: str, *, err: bool = False) -> None:
    """Print lines of our own, whatever of other people's is in them."""
    from neat_delta.base.redact import redacted
    from neat_delta.views.safe_text import safe_lines

    click.echo(safe_lines(redacted(text)), err=err)


def print_error(what: object) -> None:
    """Say on standard error, on one line, what is wrong."""
    from neat_delta.cli.hints import error_text
    from neat_delta.views.safe_text import safe_line

    text = error_text(what) if isinstance(what, NeatDeltaError) else str(what)
    print_lines(f"neat-delta: {safe_line(text)}", err=True)

"""Help that can be read: options in named groups, examples that work, and a short form under -h."""

from __future__ import annotations

import os
import re
import shlex
from functools import partial, wraps
from importlib import import_module
from typing import TYPE_CHECKING, Any, TypeVar

import click

from neat_delta.base.options import DISPLAY, GROUPS

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from click.shell_completion import CompletionItem

F = TypeVar("F", bound="Callable[..., Any]")

SHORT_LINES = 25
# By what the options of the log are known in a command's context.
LOG = "neat_delta.log"


class GroupedOption(click.Option):
    """An option that is listed under the name of its group; ``common`` ones are in the short help as well."""

    def __init__(self, *args: Any, group: str = DISPLAY, common: bool = False, **attributes: Any) -> None:
        super().__init__(*args, **attributes)
        self.group = group
        self.common = common

    def variable(self, ctx: click.Context) -> str:
        """The variable of the environment that gives it: NEAT_DELTA_, the command, and its longest name."""
        name = max(self.opts, key=len).lstrip("-").replace("-", "_").upper()
        return f"{ctx.auto_envvar_prefix}_{name}"

    def resolve_envvar_value(self, ctx: click.Context) -> str | None:
        """What the environment says."""
        given = self.envvar if isinstance(self.envvar, str) else None
        return (given and os.environ.get(given)) or os.environ.get(self.variable(ctx)) or None

    def value_from_envvar(self, ctx: click.Context) -> Any:
        """The same as a value; of an option that can be repeated, each line is one."""
        text = self.resolve_envvar_value(ctx)
        if text is None or not self.multiple:
            return super().value_from_envvar(ctx)
        lines = [line.strip() for line in text.splitlines() if line.strip()]
        return lines if self.nargs == 1 else [tuple(shlex.split(line)) for line in lines]

    def shell_complete(self, ctx: click.Context, incomplete: str) -> list[CompletionItem]:
        """What the shell offers for a value."""
        kind = "PROFILE" if "--profile" in self.opts else self.metavar
        if kind not in ("FIELD", "CHECK", "PROFILE"):
            return super().shell_complete(ctx, incomplete)
        from click.shell_completion import CompletionItem

        from neat_delta.cli.completion import offered

        # (Arguments are parsed only as far as they are typed.)
        words = {**ctx.params, "rest": tuple(ctx.args)}
        return [CompletionItem(name) for name in offered(kind, words) if name.startswith(incomplete)]

    def get_error_hint(self, ctx: click.Context | None) -> str:
        """What an error says of where a value is from."""
        hint = super().get_error_hint(ctx)
        from_environment = click.core.ParameterSource.ENVIRONMENT
        if ctx is not None and self.name and ctx.get_parameter_source(self.name) == from_environment:
            given = self.envvar if isinstance(self.envvar, str) and os.environ.get(self.envvar) else self.variable(ctx)
            return f"{hint} (from the variable {given})"
        return hint


def option(group: str, *names: str, common: bool = False, **attributes: Any) -> Callable[[F], F]:
    """An option of a command, in a group of its help."""
    return click.option(*names, cls=GroupedOption, group=group, common=common, **attributes)


def _log_options() -> list[click.Option]:
    """The options of all commands that say what is written down of their work."""

    def keep(ctx: click.Context, param: click.Parameter, value: Any) -> None:
        ctx.meta[f"{LOG}.{param.name}"] = value

    from pathlib import Path

    given: dict[str, Any] = {"group": DISPLAY, "expose_value": False, "callback": keep}
    return [
        GroupedOption(["-v", "--verbose"], count=True, help="Say each step on standard error; -vv more.", **given),
        GroupedOption(
            ["--log-file"], type=click.Path(path_type=Path), metavar="FILE", help="Add a log to this file.", **given
        ),
        GroupedOption(
            ["--log-format"], type=click.Choice(["text", "json"]), help="How its lines are written.", **given
        ),
    ]


class HelpfulCommand(click.Command):
    """A command whose help has examples and groups of options, all with --help and the most used with -h."""

    def __init__(self, *args: Any, examples: Sequence[str] = (), **attributes: Any) -> None:
        attributes.setdefault("context_settings", {})["help_option_names"] = ["--help"]
        super().__init__(*args, **attributes)
        self.examples = examples

    def get_params(self, ctx: click.Context) -> list[click.Parameter]:
        """The parameters, with -h among them."""
        show = click.Option(["-h", "short_help"], is_flag=True, is_eager=True, expose_value=False, hidden=True)
        show.callback = _show_short_help
        return [*super().get_params(ctx), *_log_options(), show]

    def invoke(self, ctx: click.Context) -> Any:
        """Run the command; what it does is written down where that is wanted."""
        verbose, file, file_format = (ctx.meta.get(f"{LOG}.{name}") for name in ("verbose", "log_file", "log_format"))
        if not (verbose or file):
            if file_format:
                ctx.fail("--log-format needs --log-file FILE.")
            return super().invoke(ctx)
        from neat_delta.cli.logs import logged

        words = ctx.meta.get(f"{LOG}.words", ())
        return logged(partial(super().invoke, ctx), words, int(verbose or 0), file, file_format or "text")

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """The arguments; as they were typed, they are remembered for the log."""
        ctx.meta[f"{LOG}.words"] = (str(ctx.info_name), *args)
        return super().parse_args(ctx, args)

    def format_options(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Examples, then the options of each group."""
        self._format_examples(formatter, self.examples)
        listed = [param for param in self.get_params(ctx) if isinstance(param, click.Option) and not param.hidden]
        for group in GROUPS:
            records = [param.get_help_record(ctx) for param in listed if getattr(param, "group", DISPLAY) == group]
            if records:
                with formatter.section(group):
                    formatter.write_dl([record for record in records if record])

    def short_help_text(self, ctx: click.Context) -> str:
        """What -h shows: usage, the first sentences, an example, the options that most people need."""
        formatter = ctx.make_formatter()
        self.format_usage(ctx, formatter)
        formatter.write_paragraph()
        with formatter.indentation():
            formatter.write_text(str(self.help).split("\n\n", 1)[0])
        self._format_examples(formatter, self.examples[:2])
        records = [param.get_help_record(ctx) for param in self.params if getattr(param, "common", False)]
        if records:
            with formatter.section("Most used options"):
                formatter.write_dl([(names, _first_part(text)) for names, text in filter(None, records)])
        formatter.write_paragraph()
        formatter.write_text(f"All options: {ctx.command_path} --help")
        return formatter.getvalue().rstrip("\n")

    def _format_examples(self, formatter: click.HelpFormatter, examples: Sequence[str]) -> None:
        if examples:
            with formatter.section("Examples"):
                for example in examples:
                    formatter.write(f"{'':{formatter.current_indent}}{example}\n")


class HelpfulGroup(click.Group):
    """A group of such commands."""

    command_class = HelpfulCommand


def _first_part(text: str) -> str:
    """A help text up to its first pause, for one line."""
    return re.split(r"(?<=[.)])\s|[:;,(]\s?|\s{2}", text, maxsplit=1)[0].rstrip(" .") + "."


def _show_short_help(ctx: click.Context, _option: click.Parameter, asked: bool) -> None:
    if asked and not ctx.resilient_parsing and isinstance(ctx.command, HelpfulCommand):
        from neat_delta.cli.common import print_lines

        print_lines(ctx.command.short_help_text(ctx))
        ctx.exit()


def command(name: str, *examples: str) -> Callable[[Callable[..., Any]], HelpfulCommand]:
    """A command of this name, whose help shows these examples."""
    return click.command(name, cls=HelpfulCommand, examples=examples)


def done_in(module: str) -> Callable[[Callable[[], None]], Callable[..., Any]]:
    """A command that is declared here, and done by the function of its name in ``actions/MODULE``.

    What a command does needs packages that take a while to load; its options and its help need none. So the one is
    loaded when the command is called, by this function and by no other.
    """

    def declared(function: Callable[[], None]) -> Callable[..., Any]:
        @wraps(function)
        def does(**given: Any) -> Any:
            return getattr(import_module(f"neat_delta.cli.actions.{module}"), function.__name__)(**given)

        return does

    return declared

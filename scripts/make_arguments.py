"""Write src/neat_delta/api/arguments.py: the named arguments of the API, made from the requests of the jobs.

A type checker has to see them written out; the options themselves are declared in ``workflows/`` alone.
"""

from __future__ import annotations

import re
import textwrap
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from types import UnionType
from typing import Any, Literal, Union, get_args, get_origin

from neat_delta.base.options import Options, declared_types, options_of
from neat_delta.workflows import option_groups, requests, view_requests

TARGET = Path(__file__).parents[1] / "src" / "neat_delta" / "api" / "arguments.py"
# Each group of arguments: its name, the request it is of, what it is for, and what is no argument by name.
GROUPS: tuple[tuple[str, type, str, tuple[str, ...]], ...] = (
    ("ReadArguments", option_groups.ReadingOptions, "The format of a file, where recognising it goes wrong.", ()),
    ("CompareArguments", requests.CompareRequest, "How to compare; what is left out is as configured.", ()),
    ("AdjustArguments", requests.AdjustRequest, "How formulas change the live table.", ("set",)),
    ("RecodeArguments", requests.RecodeRequest, "How items get other SKUs.", ()),
    ("CombineArguments", requests.CombineRequest, "How change sets are combined.", ()),
    ("AcceptArguments", requests.AcceptRequest, "Which part of a change set is accepted.", ("items",)),
    ("SheetArguments", requests.SheetRequest, "What a sheet for editing has.", ("out",)),
    ("CheckArguments", requests.CheckRequest, "What checks let through, in this call only.", ()),
    ("HistoryArguments", view_requests.HistoryRequest, "Which of what was sent, and where the list is saved.", ()),
    ("PreviewArguments", view_requests.PreviewRequest, "What of a change set is worked out and saved.", ()),
    ("RefreshArguments", requests.RefreshRequest, "Whose value goes on where both have changed a cell.", ()),
    ("VerifyArguments", requests.VerifyRequest, "What is saved of a verification.", ()),
    ("WriteArguments", requests.WriteRequest, "How an update is written.", ()),
    ("UndoArguments", requests.UndoRequest, "How the files that put things back are written.", ()),
    ("SendArguments", requests.SendRequest, "How an update is sent.", ()),
)
HEAD = '''"""What can be said of each job, by the names that the command line's options have.

Made by scripts/make_arguments.py from the requests of the jobs: change an option there.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal, TypedDict

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from datetime import datetime
    from os import PathLike

    from neat_delta.api.tables import TableLike
'''
# Options of the command line that a text of the API does not name.
NOT_HERE = re.compile(r"\s*(Repeatable\.|Repeat if [^.]*\.|\[default: [^\]]*\])")


def argument_type(name: str, declared: Any) -> str:
    """The type of an argument: what a program may give for it."""
    parts = [part for part in get_args(declared) if part is not type(None)]
    if get_origin(declared) in (Union, UnionType) and len(parts) == 1:
        return f"{argument_type(name, parts[0])} | None"
    if declared in (str, int, bool):
        return str(declared.__name__)
    if get_origin(declared) is Literal:
        return f"Literal[{', '.join(repr(word) for word in get_args(declared)).replace(chr(39), chr(34))}]"
    if get_origin(declared) is tuple:
        return "Sequence[str]"
    if get_origin(declared) is Mapping:
        return "Mapping[str, Mapping[str, str]]" if "Mapping" in str(get_args(declared)[1]) else "Mapping[str, str]"
    if getattr(declared, "__name__", "") == "datetime":
        return "datetime"
    if name in ("base", "fresh"):
        return "TableLike | None"
    return "str | PathLike[str]" if declared is Path else "str | PathLike[str] | None"


def own_options(request: type) -> list[str]:
    """The options that a class of them declares itself, not its bases."""
    return [name for name in vars(request).get("__annotations__", {}) if name in options_of(request)]


def shared_classes() -> dict[type, str]:
    """The classes of options that several groups have, by the name that they have among the arguments."""
    named = {request: name for name, request, *_ in GROUPS}
    every = [one for _, request, *_ in GROUPS for one in request.__mro__ if issubclass(one, Options)]
    often = [one for one in dict.fromkeys(every) if own_options(one) and every.count(one) > 1]
    return {one: named.get(one, f"_{one.__name__}") for one in often}


def members(request: type, names: Iterable[str]) -> Iterator[str]:
    """Options as members of a TypedDict, each with what it does."""
    types, declared = declared_types(request), options_of(request)
    for name in names:
        yield f"    {name}: {argument_type(name, types[name])}"
        help_text = NOT_HERE.sub("", declared[name].help).strip()
        help_text = re.sub(r"--([a-z-]+)", lambda found: found[1].replace("-", "_"), help_text)
        escaped = help_text.replace("\\", "\\\\")
        escaped = escaped[:-1] + '\\"' if escaped.endswith('"') else escaped
        yield from textwrap.wrap(
            f'"""{escaped}"""', 116, initial_indent="    ", subsequent_indent="    ", break_long_words=False
        )


def arguments() -> str:
    """The module's text: what several groups have first, then each group with what it has besides."""
    shared, lines = shared_classes(), []
    for one, name in shared.items():
        if name.startswith("_"):
            text = (one.__doc__ or "").split("\n")[0]
            lines += ["", "", f"class {name}(TypedDict, total=False):", f'    """{text}"""', ""]
            lines += members(one, own_options(one))
    for name, request, text, leave_out in GROUPS:
        bases = [one for one in request.__mro__ if one in shared and one is not request]
        bases = [one for one in bases if not set(own_options(one)) & set(leave_out)]
        inherited = {option for one in bases for option in own_options(one)}
        own = [option for option in options_of(request) if option not in inherited and option not in leave_out]
        named = ", ".join(shared[one] for one in bases) or "TypedDict"
        lines += ["", "", f"class {name}({named}, total=False):", f'    """{text}"""', "", *members(request, own)]
    return HEAD + "\n".join(lines) + "\n"


if __name__ == "__main__":
    TARGET.write_text(arguments(), "utf-8")

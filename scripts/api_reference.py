"""The functions of the Python API as a part of docs/api.md, made from their signatures and docstrings."""

from __future__ import annotations

import ast
import inspect
import re
import textwrap
from typing import TYPE_CHECKING, Any, is_typeddict

import neat_delta
from neat_delta.tables.setting_texts import setting_texts

if TYPE_CHECKING:
    from collections.abc import Iterator

SECTION = re.compile(r"^(Args|Returns|Raises|Attributes):\n((?:[ ]{4}.*\n?|\n)+)", re.MULTILINE)
ENTRY = re.compile(r"^(\w+): ((?:.*\n?)(?:[ ]+.*\n?)*)", re.MULTILINE)


def api_reference() -> str:
    """Each function with how it is called, what it does, an example, its arguments and errors; then named arguments."""
    found = {name: getattr(neat_delta, name) for name in neat_delta.__all__}
    functions = ["\n".join(_function(name, one)) for name, one in found.items() if inspect.isfunction(one)]
    groups = ["\n".join(_group(name, one)) for name, one in found.items() if is_typeddict(one)]
    return "\n".join([*functions, *groups])


def _group(name: str, group: Any) -> Iterator[str]:
    """Arguments that several functions take by name, each with what is below its declaration."""
    yield from (f"### nd.{name}", "", _flowing(inspect.getdoc(group) or ""), "", "| argument | |", "|---|---|")
    source = inspect.getsource(inspect.getmodule(group) or inspect)
    for one in _made_of(source, name):
        described = setting_texts(source, one)
        yield from (f"| `{argument}` | {_flowing(text)} |" for argument, text in described.items())
    yield ""


def _made_of(source: str, name: str) -> Iterator[str]:
    """The name of a class of arguments, and of those that it is made of."""
    yield name
    found = next(node for node in ast.parse(source).body if isinstance(node, ast.ClassDef) and node.name == name)
    for base in (ast.unparse(base) for base in found.bases):
        if base != "TypedDict":
            yield from _made_of(source, base)


def _function(name: str, function: Any) -> Iterator[str]:
    text = inspect.getdoc(function) or ""
    yield from (f"### nd.{name}", "", "```py", f"nd.{name}({_arguments(function)})", "```", "")
    yield from (_flowing(_before_example(text)), "")
    if example := re.search(r"^>>> (?:.*\n)+?(?=\n|\Z)", text, re.MULTILINE):
        yield from ("```pycon", example[0].rstrip(), "```", "")
    for title, body in SECTION.findall(text + "\n"):
        body = textwrap.dedent(body)
        if title == "Returns":
            yield from (f"Returns {_flowing(body)}", "")
        else:
            yield from ({"Args": "| argument | |", "Raises": "| raises | |"}.get(title, f"| {title} | |"), "|---|---|")
            yield from (f"| `{entry}` | {_flowing(said)} |" for entry, said in ENTRY.findall(body))
            yield ""


def _arguments(function: Any) -> str:
    """How it is called, without types: those are in the code and in help()."""
    said, keyword = [], False
    for one in inspect.signature(function).parameters.values():
        if one.kind is one.KEYWORD_ONLY and not keyword:
            said.append("*")
            keyword = True
        stars = {one.VAR_KEYWORD: "**", one.VAR_POSITIONAL: "*"}.get(one.kind, "")
        default = "" if one.default is one.empty else f"={one.default!r}"
        said.append(f"{stars}{one.name}{default}")
    return ", ".join(said)


def _before_example(text: str) -> str:
    return re.split(r"^(?:>>> |Args:|Returns:|Raises:)", text, maxsplit=1, flags=re.MULTILINE)[0]


def _flowing(text: str) -> str:
    """A text in one line, its code in Markdown's quotes."""
    return " ".join(text.split()).replace("``", "`").replace("|", "\\|")

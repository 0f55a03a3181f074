"""Names in docstrings that nothing has: exceptions under Raises, arguments under Args, attributes of a class.

    python scripts/check_docstrings.py [FOLDER]

Prints a line for each; the exit code is 1 if there is any.
"""

from __future__ import annotations

import ast
import builtins
import re
import sys
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterator

SOURCE = Path(__file__).parents[1] / "src" / "neat_delta"
# Lines of a class's docstring that describe a member without a section above them.
LOOSE_MEMBER = re.compile(r"^([a-z_]\w*(?:, [a-z_]\w*)*):\s", re.MULTILINE)


def names_under(section: str, doc: str) -> list[str]:
    """The names at the start of the lines of a section, at its own indentation."""
    text = re.search(rf"^{section}:\n((?:(?: {{4}}.*)?\n?)+)", doc, re.MULTILINE)
    heads = re.findall(r"^ {4}([\w.]+(?:, [\w.]+)*)(?: \([^)]*\))?:", text[1] if text else "", re.MULTILINE)
    return [name for head in heads for name in head.split(", ")]


def exists_elsewhere(name: str) -> bool:
    """Whether a library has this dotted name."""
    module, _, member = name.rpartition(".")
    try:
        return hasattr(import_module(module), member)
    except (ImportError, ValueError):
        return False


def classes_of(trees: list[ast.Module]) -> set[str]:
    """All names of classes that are defined or imported anywhere."""
    names = set(dir(builtins))
    for node in (node for tree in trees for node in ast.walk(tree)):
        if isinstance(node, ast.ClassDef):
            names.add(node.name)
        if isinstance(node, ast.ImportFrom | ast.Import):
            names.update((alias.asname or alias.name).rsplit(".", 1)[-1] for alias in node.names)
    return names


def stale_names(node: ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef, classes: set[str]) -> Iterator[str]:
    """What the docstring of a function or class names that is not there."""
    doc = (ast.get_docstring(node) or "") + "\n"
    for name in names_under("Raises", doc):
        if name not in classes and not exists_elsewhere(name):
            yield f"raises {name}"
    if isinstance(node, ast.ClassDef):
        fields = [one.target for one in node.body if isinstance(one, ast.AnnAssign)]
        members = {target.id for target in fields if isinstance(target, ast.Name)}
        members |= {one.name for one in node.body if isinstance(one, ast.FunctionDef)}
        loose = [name for names in LOOSE_MEMBER.findall(doc) for name in names.split(", ")]
        for name in [*names_under("Attributes", doc), *loose]:
            if members and name not in members:
                yield f"attribute {name}"
        return
    given = node.args
    arguments = [*given.posonlyargs, *given.args, *given.kwonlyargs, *filter(None, (given.vararg, given.kwarg))]
    for name in names_under("Args", doc):
        if name not in {one.arg for one in arguments}:
            yield f"argument {name}"


def main(folder: Path) -> int:
    """Print what is stale; the exit code."""
    trees = {path: ast.parse(path.read_text("utf-8")) for path in sorted(folder.rglob("*.py"))}
    classes = classes_of(list(trees.values()))
    documented = ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef
    found = [
        f"{path}:{node.lineno} {node.name}: {what}"
        for path, tree in trees.items()
        for node in ast.walk(tree)
        if isinstance(node, documented)
        for what in stale_names(node, classes)
    ]
    print("\n".join(found) or "every name in the docstrings exists")
    return int(bool(found))


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1]) if len(sys.argv) > 1 else SOURCE))

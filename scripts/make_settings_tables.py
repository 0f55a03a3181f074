"""Make the tables of settings in the documentation from the dataclasses that declare them.

A page has ``<!-- settings: CLASS -->`` and ``<!-- end -->`` on lines of their own around each table.
"""

from __future__ import annotations

import ast
import itertools
import re
from pathlib import Path

ROOT = Path(__file__).parents[1]
DECLARED = {
    "docs/catalogue.md": "src/neat_delta/tables/settings.py",
    "docs/run-files.md": "src/neat_delta/workflows/scheduled/run_config.py",
}
KEY = re.compile(r"Key\('(\w+)'\)")
OTHERS = ("src/neat_delta/tables/read_options.py",)


def rows(source: str, name: str) -> list[tuple[str, str]]:
    """The settings of a dataclass: what each is called in the file, and the text below its declaration."""
    tree = ast.parse(source)
    body = next(node.body for node in tree.body if isinstance(node, ast.ClassDef) and node.name == name)
    found = []
    for member, text in itertools.pairwise(body):
        if not isinstance(member, ast.AnnAssign) or not isinstance(text, ast.Expr):
            continue
        declared = ast.unparse(member.annotation)
        if "NotInFile" not in declared:
            named = KEY.search(declared)
            about = " ".join(str(ast.literal_eval(text.value)).split())
            found.append((named[1] if named else ast.unparse(member.target), about))
    return found


def table(name: str, source: str) -> str:
    """A dataclass's settings as a table in Markdown."""
    lines = ["| setting | |", "|---|---|", *(f"| `{key}` | {about} |" for key, about in rows(source, name))]
    return "\n".join(lines)


def page(path: str) -> str:
    """A page with its tables made anew."""
    text = (ROOT / path).read_text("utf-8")
    sources = [(ROOT / each).read_text("utf-8") for each in (DECLARED[path], *OTHERS)]

    def made(found: re.Match[str]) -> str:
        name = found[1]
        source = next(each for each in sources if f"class {name}:" in each)
        return f"<!-- settings: {name} -->\n{table(name, source)}\n<!-- end -->"

    return re.sub(r"<!-- settings: (\w+) -->\n.*?<!-- end -->", made, text, flags=re.DOTALL)


if __name__ == "__main__":
    for each in DECLARED:
        (ROOT / each).write_text(page(each), "utf-8")

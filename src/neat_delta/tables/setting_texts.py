"""What is said of each setting: the texts below the declarations, read from the source of the dataclasses."""

from __future__ import annotations

import ast
import itertools
import re

from neat_delta.base.options import options_of

KEY = re.compile(r"Key\('(\w+)'\)")
# A file has a list instead of an option that is given again and again.
REPEATED = re.compile(r" Repeatable\.| Repeat if [^.]*\.")
SECTION = re.compile(r"``\[+(.*?)\]+``")


def setting_texts(source: str, name: str) -> dict[str, str]:
    """The settings of one dataclass: by what each is called in the file, the text below its declaration.

    Args:
        source: the text of the module.
        name: the dataclass in it.
    """
    body = next(node.body for node in ast.parse(source).body if isinstance(node, ast.ClassDef) and node.name == name)
    texts = {}
    for member, text in itertools.pairwise(body):
        if not isinstance(member, ast.AnnAssign) or not isinstance(text, ast.Expr):
            continue
        declared = ast.unparse(member.annotation)
        if "NotInFile" not in declared:
            key = KEY.search(declared)
            texts[key[1] if key else ast.unparse(member.target)] = " ".join(str(ast.literal_eval(text.value)).split())
    return texts


def option_texts(cls: type) -> dict[str, str]:
    """What is said of the members of a dataclass that are options of the command line as well."""
    texts = {}
    for name, declared in options_of(cls).items():
        option = declared.names[-1] if declared.names else f"--{name.replace('_', '-')}"
        text = REPEATED.sub("", declared.help).removesuffix(".")
        texts[name] = f"{text} (as `{option}`)."
    return texts


def sections(source: str) -> dict[str, str]:
    """The dataclasses of settings in a module: by name, the section as its docstring writes it; "" is the top level."""
    by_class = {}
    for node in ast.parse(source).body:
        if isinstance(node, ast.ClassDef):
            section = SECTION.match(ast.get_docstring(node) or "")
            if section:
                by_class[node.name] = section[1]
    return by_class

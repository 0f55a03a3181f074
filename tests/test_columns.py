"""A column that is taken from a frame is declared by a schema, or made somewhere: no misspelt name stays unseen."""

import ast
import importlib
import re
from collections.abc import Iterator
from pathlib import Path

import neat_delta
from neat_delta.base.frame_schema import FrameSchema

SOURCE = Path(neat_delta.__file__).parent
# What takes names of columns; Polars itself makes the last ones.
TAKE = {"col", "get_column", "select", "sort", "group_by", "drop", "join", "unique", "partition_by", "explode", "over"}
TAKE |= {"struct", "coalesce", "drop_nulls", "with_columns", "exclude", "sort_by"}
TAKEN_AS = {"on", "left_on", "right_on", "by", "subset", "index", "values"}
MADE_BY_POLARS = {"len", "count"}


def texts(node: ast.AST) -> Iterator[ast.Constant]:
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node
    elif isinstance(node, ast.List | ast.Tuple):
        for element in node.elts:
            yield from texts(element)
    elif isinstance(node, ast.Starred):
        yield from texts(node.value)


def taken(call: ast.Call) -> Iterator[ast.Constant]:
    """The names of columns that a call takes; texts that a text joins are none."""
    name = getattr(call.func, "attr", getattr(call.func, "id", ""))
    joins_texts = isinstance(call.func, ast.Attribute) and isinstance(call.func.value, ast.Constant)
    if name in TAKE and not joins_texts:
        for node in call.args:
            yield from texts(node)
        for keyword in call.keywords:
            if keyword.arg in TAKEN_AS:
                yield from texts(keyword.value)


def test_every_column_is_declared_or_made():
    for path in SOURCE.glob("*/schemas.py"):
        importlib.import_module(f"neat_delta.{path.parent.name}.schemas")
    names = {str(column) for schema in FrameSchema.__subclasses__() for column in schema.columns} | MADE_BY_POLARS
    asked: dict[str, str] = {}
    endings = set()
    for path in SOURCE.rglob("*.py"):
        nodes = list(ast.walk(ast.parse(path.read_text("utf-8"))))
        columns = {text for node in nodes if isinstance(node, ast.Call) for text in taken(node)}
        asked |= {text.value: f"{path.name}:{text.lineno}" for text in columns if text.value.isidentifier()}
        constants = (node for node in nodes if isinstance(node, ast.Constant) and node not in columns)
        others = [node.value for node in constants if isinstance(node.value, str)]
        # A column gets its name by a keyword, in a text, by a group of a pattern, or by what a join adds to another.
        names |= {node.arg for node in nodes if isinstance(node, ast.keyword) and node.arg}
        names |= {*others, *(group for text in others for group in re.findall(r"\(\?P?<(\w+)>", text))}
        endings |= {text for text in others if text.startswith("_")}

    names |= {name + ending for name in names for ending in endings} | {"by_on", "by_plain"}
    assert {name: where for name, where in asked.items() if name not in names} == {}

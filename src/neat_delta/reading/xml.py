"""XML with one repeated element per item; read by a parser that refuses entities and outside references."""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput
from neat_delta.reading.frame_rows import MOST_COLUMNS, ParsedFile, too_many_columns
from neat_delta.reading.jsonlines import LIST_SEPARATOR
from neat_delta.reading.parse_errors import parse_errors_as

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

    from neat_delta.locations import Location


def read_xml(data: bytes, path: Location) -> ParsedFile:
    """The element that repeats most among brothers is the item; its attributes and children are the columns.

    A child that occurs several times in one item becomes one cell, parted by ``|``. Lines are counted in items.

    Raises:
        InvalidInput: the file is no well-formed XML, holds entities, or nothing in it repeats.
    """
    from defusedxml import DefusedXmlException, ElementTree

    try:
        with parse_errors_as("not well-formed XML", path, "Export it again."):
            root = ElementTree.fromstring(data)
    except InvalidInput as error:
        if isinstance(error.__cause__, DefusedXmlException):
            raise InvalidInput(
                "unsafe XML: it declares entities", file=path, hint="Export it without a DOCTYPE."
            ) from error.__cause__
        raise
    items = _items(root)
    if not items:
        raise InvalidInput("no repeated element in this XML file, so there are no items", file=path)
    items_cells = [_cells(item) for item in items]
    columns = list(dict.fromkeys(name for row in items_cells for name in row))
    if len(columns) > MOST_COLUMNS:
        raise too_many_columns(path, None, len(columns))
    rows = [columns, *([row.get(name, "") for name in columns] for row in items_cells)]
    return ParsedFile(list(zip(*rows, strict=True)), range(len(rows)), f"XML, element {_plain(items[0].tag)}")


def _items(root: Element) -> list[Element]:
    best: list[Element] = []
    for parent in root.iter():
        if len(parent) > len(best):
            tag, count = Counter(child.tag for child in parent).most_common(1)[0]
            if count > len(best) and (count > 1 or parent is root):
                best = [child for child in parent if child.tag == tag]
    return best


def _cells(item: Element) -> dict[str, str]:
    row: dict[str, list[str]] = {_plain(name): [value] for name, value in item.attrib.items()}
    for child in item:
        row.setdefault(_plain(child.tag), []).append("".join(child.itertext()).strip())
    return {name: LIST_SEPARATOR.join(values) for name, values in row.items()}


def _plain(tag: str) -> str:
    """A tag without its namespace."""
    return tag.rpartition("}")[2]

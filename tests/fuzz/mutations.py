"""Damage done to files: bytes, cells, names, JSON nodes, XML, archive members, settings, tables of a database."""

from __future__ import annotations

import io
import json
import re
import sqlite3
import zipfile
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Callable
    from random import Random

NUMBERS = (
    "0", "-0", "-1", "1e999", "-1e-999", "nan", "inf", "-inf", "4713E1", "9" * 40, "0." + "9" * 60, "1" * 5000, "1e308",
    "007", "1,5", "1.234,56", "٣", "½", "+8", "2147483648", "18446744073709551616", "0x10", "1_000", "3e", "--1", ".",
)  # fmt: skip
TEXTS = (
    "", " ", "*", ".", "..", "/", "\\", "\"", "'", "''", "`", ";", ",", "|", "\t", "\v", "\f", "\0", "\x1b[2J", "\x9b31m",
    "\u202e", "\u200b", "\ufeff", "\u2028", "\x7f", "key", "line", "place", "field", "action", "now", "was", "at", "item",
    "sku", "price", "price_1", "row_state", "findings", "cells", "literal", "len", "index", "__index", "none", "null", "NaN",
    "true", "=1+1", "-1+cmd|' /C calc'!A0", "＝1", "@x", "ß", "ﬁ", "é", "é", "漢字", "😀", "a" * 300, "{}", "{0}", "%s",
    "${x}", "$price", "^price$", "<b>x</b>", "]]>", "&amp;", "&#0;", "--", "/*", "select 1", "2026-13-45", "29.02.2025",
    "KT-1000", "kt-1000", "1 2", "[x]", "a.b", "\u001e", "\u001f", "constructor", "__proto__", "column_1", " 3",
)  # fmt: skip
BYTES = (
    b"\0", b"\xff", b"\xfe\xff", b"\xff\xfe", b"\xef\xbb\xbf", b"\xed\xa0\x80", b"\xc0\xaf", b"\x80", b"\r", b"\n", b"\r\n",
    b'"', b'""', b",", b";", b"\t", b"<", b">", b"{", b"}", b"[", b"]", b"\x1a", b"\x0b", b"\x1b", b"PK\x03\x04", b"\x1f\x8b",
)  # fmt: skip
STRANGE: tuple[Any, ...] = (
    None, True, False, 0, -1, 1 << 31, 1 << 63, 1 << 70, -(1 << 70), 1.5, 1e300, "", "x", "nan", "*", "\x1b[2J", [], {}, [[]],
    [None], {"a": 1}, ["a", 1], {"was": 1, "now": []}, "2026-11-29T00:00:00", "add", "change", "remove", "recode", "none",
)  # fmt: skip
SETTINGS = (
    "nan", "-nan", "inf", "1e999", "-1", "0", "true", '""', '"*"', '"x"', "[]", "{}", "[1]", '["x", 1]', "2026-01-01",
    "99999999999999999999", '"\\u001b[2J"', '"price / 0"', '"nan"', '["", ""]', "0.00000000000000001", "{ a = 1 }", "'('",
)  # fmt: skip

Mutation = "Callable[[bytes, Random], bytes]"


def damage(data: bytes, rng: Random) -> bytes:
    """A file's bytes, one to four times damaged in the ways that its form allows."""
    ways: list[Callable[[bytes, Random], bytes]] = [in_bytes, in_tokens]
    if data[:4] == b"PK\x03\x04":
        ways = [in_zip, in_zip, in_zip, in_bytes]
    elif data[:16] == b"SQLite format 3\0":
        ways = [in_database, in_database, in_bytes]
    elif data[:1] == b"{":
        ways += [in_json_lines] * 4
    elif data.lstrip()[:1] == b"<":
        ways += [in_xml] * 2
    elif re.match(rb"(#[^\n]*\n|\s)*(\[[^\n]*\]|[\w.]+\s*=)", data[:2000]):
        ways += [in_toml] * 4
    elif data[:2] not in (b"\x1f\x8b", b"\x28\xb5"):
        ways += [in_cells] * 4
    for _ in range(rng.choice((1, 1, 1, 2, 4))):
        data = rng.choice(ways)(data, rng)
    return data


def in_bytes(data: bytes, rng: Random) -> bytes:
    """Bytes changed, put in, taken out, doubled, or cut off."""
    at = rng.randrange(len(data) + 1)
    end = min(len(data), at + rng.choice((1, 2, 4, 16, 64, 512)))
    way = rng.randrange(6)
    if way == 0:
        return data[:at] + bytes(rng.randrange(256) for _ in range(end - at)) + data[end:]
    if way == 1:
        return data[:at] + rng.choice(BYTES) * rng.choice((1, 1, 3, 50)) + data[at:]
    if way == 2:
        return data[:at] + data[end:]
    if way == 3:
        return data[:end] + data[at:end] * rng.choice((1, 3, 100)) + data[end:]
    if way == 4:
        return data[:at]
    return data[:at] + bytes([data[at] ^ (1 << rng.randrange(8))]) + data[at + 1 :] if at < len(data) else data


def in_tokens(data: bytes, rng: Random) -> bytes:
    """A number or a word made another one."""
    found = list(re.finditer(rb"-?\d+(?:\.\d+)?|\w+", data[:200_000]))
    if not found:
        return in_bytes(data, rng)
    token = rng.choice(found)
    new = rng.choice(NUMBERS if token[0][-1:].isdigit() else TEXTS).encode("utf-8", "surrogatepass")
    return data[: token.start()] + new + data[token.end() :]


def in_cells(data: bytes, rng: Random) -> bytes:
    """A cell of delimited text, often of its header, made another; columns or lines doubled, dropped, moved."""
    lines = data.split(b"\n")
    at = 0 if rng.random() < 0.4 else rng.randrange(len(lines))
    sign = max((b",", b";", b"\t", b"|"), key=lines[0].count)
    cells = lines[at].split(sign)
    column = rng.randrange(len(cells))
    way = rng.randrange(7)
    new = rng.choice(NUMBERS + TEXTS).encode("utf-8", "surrogatepass")
    if way == 0:
        cells[column] = b'"' + new.replace(b'"', b'""') + b'"'
    elif way == 1:
        cells[column] = new
    elif way == 2:
        cells.insert(column, cells[rng.randrange(len(cells))])
    elif way == 3:
        del cells[column]
    elif way == 4:
        lines.insert(rng.randrange(len(lines) + 1), lines[at])
    elif way == 5:
        del lines[at]
        return b"\n".join(lines)
    else:
        return b"\n".join(
            sign.join((*each.split(sign)[:column], new, *each.split(sign)[column + 1 :])) for each in lines
        )
    lines[at] = sign.join(cells)
    return b"\n".join(lines)


def in_json_lines(data: bytes, rng: Random) -> bytes:
    """A node of one of some JSON texts, one on each line, made another, doubled, renamed or dropped."""
    lines = data.split(b"\n")
    at = rng.choice((0, rng.randrange(len(lines))))
    try:
        root = json.loads(lines[at])
    except ValueError:
        try:
            root = json.loads(data)
        except ValueError:
            return in_tokens(data, rng)
        return json.dumps(_node_changed(root, rng)).encode()
    root = _node_changed(root, rng)
    lines[at] = json.dumps(root, ensure_ascii=rng.random() < 0.5).encode("utf-8", "surrogatepass")
    return b"\n".join(lines)


def _node_changed(root: Any, rng: Random) -> Any:
    spots: list[tuple[Any, Any]] = []

    def gather(node: Any) -> None:
        inside = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
        for name, each in inside:
            spots.append((node, name))
            gather(each)

    gather(root)
    if not spots or rng.random() < 0.02:
        return rng.choice(STRANGE)
    node, name = rng.choice(spots)
    way = rng.randrange(5)
    if way == 0:
        del node[name]
    elif way == 1 and isinstance(node, dict):
        node[rng.choice(TEXTS)] = node.pop(name)
    elif way == 2 and isinstance(node, dict):
        node[rng.choice((*TEXTS, *node))] = rng.choice((node[name], *STRANGE))
    elif way == 3 and isinstance(node[name], str):
        node[name] = rng.choice(NUMBERS + TEXTS + ("\ud800",))
    else:
        node[name] = rng.choice(STRANGE)
    return root


def in_xml(data: bytes, rng: Random) -> bytes:
    """An attribute, a text or a tag made another, doubled or dropped."""
    found = list(re.finditer(rb'(?<==")[^"]*(?=")|(?<=>)[^<]+(?=<)|<[^>]*>', data[:200_000]))
    if not found:
        return in_bytes(data, rng)
    token = rng.choice(found)
    if token[0][:1] == b"<":
        new = rng.choice((b"", token[0] * 2, b"<c ", b"<!--", b"<!DOCTYPE x [<!ENTITY a 'b'>]>", b"<x/>", b"&a;"))
    else:
        new = rng.choice(NUMBERS + TEXTS + ("XFD1048576", "A1048577", "A0", "ZZZZ1", "A-1", "1A", "99999999")).encode()
        if rng.random() < 0.7:
            new = re.sub(rb"[<>&\"\0-\x08\x0b\x0c\x0e-\x1f]", b"", new)
    return data[: token.start()] + new + data[token.end() :]


def in_zip(data: bytes, rng: Random) -> bytes:
    """A member of an archive damaged, dropped, renamed or doubled, and all of them packed again."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            members = [(info.filename, archive.read(info)) for info in archive.infolist()]
    except Exception:
        return in_bytes(data, rng)
    if not members:
        return in_bytes(data, rng)
    at = rng.randrange(len(members))
    name, content = members[at]
    way = rng.randrange(10)
    if way == 0:
        del members[at]
    elif way == 1:
        members[at] = (rng.choice((*TEXTS, "../x", "xl/workbook.xml", "content.xml", "mimetype")) or "x", content)
    elif way == 2:
        members.append((rng.choice(members)[0], content))
    elif way == 3:
        members[at] = (name, in_bytes(content, rng))
    else:
        members[at] = (name, in_xml(content, rng) if content.lstrip()[:1] == b"<" else in_cells(content, rng))
    out = io.BytesIO()
    method = rng.choice((zipfile.ZIP_DEFLATED,) * 6 + (zipfile.ZIP_STORED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA))
    import warnings

    with warnings.catch_warnings(), zipfile.ZipFile(out, "w", method) as archive:
        warnings.simplefilter("ignore")
        for name, content in members:
            archive.writestr(zipfile.ZipInfo(name[:200]), content, method)
    return out.getvalue() if rng.random() < 0.85 else in_bytes(out.getvalue(), rng)


def in_toml(data: bytes, rng: Random) -> bytes:
    """A setting given another value, doubled, dropped, renamed, or put into another table."""
    lines = data.split(b"\n")
    at = rng.randrange(len(lines))
    way = rng.randrange(6)
    name, equals, _ = lines[at].partition(b"=")
    if way <= 2 and equals:
        lines[at] = name + b"= " + rng.choice(SETTINGS).encode()
    elif way == 3:
        lines.insert(rng.randrange(len(lines) + 1), lines[at])
    elif way == 4:
        del lines[at]
    else:
        word = rng.choice((*TEXTS, *re.findall(r"\w+", data.decode("utf-8", "replace"))))
        lines.insert(at, json.dumps(word).encode("utf-8", "replace") + b" = " + rng.choice(SETTINGS).encode())
    return b"\n".join(lines)


def in_database(data: bytes, rng: Random) -> bytes:
    """A cell of a SQLite file made another, a table or column dropped, another version said."""
    base = sqlite3.connect(":memory:")
    try:
        base.deserialize(data)
        base.execute("PRAGMA journal_mode = MEMORY")
        tables = [name for (name,) in base.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        table = rng.choice([name for name in tables if not name.startswith("sqlite_")])
        column = rng.choice([row[1] for row in base.execute(f'PRAGMA table_info("{table}")')])
        way = rng.randrange(8)
        if way == 0:
            base.execute(f'DROP TABLE "{table}"')
        elif way == 1:
            base.execute(f'ALTER TABLE "{table}" RENAME COLUMN "{column}" TO "other"')
        elif way == 2:
            base.execute(f"PRAGMA user_version = {rng.choice((1, 2, 3, 99, -1))}")
        else:
            new = rng.choice((None, 0, -1, 1 << 40, 1.5, "", "x", "{}", "[1]", '[{"line": []}]', b"\xff\0", *TEXTS))
            base.execute(f'UPDATE OR REPLACE "{table}" SET "{column}" = ?', (new,))
        base.commit()
        return base.serialize()
    except (sqlite3.Error, UnicodeError, IndexError):
        return in_bytes(data, rng)
    finally:
        base.close()

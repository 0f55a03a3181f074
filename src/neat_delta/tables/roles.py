"""Which column is what to a shop: price, cost, stock, name … by the words of its header, in the languages of shops."""

from __future__ import annotations

import re
import tomllib
import unicodedata
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    from collections.abc import Iterable

    from neat_delta.tables.table import Table

ROLES = (
    "key",
    "name",
    "price",
    "cost",
    "sale_price",
    "stock",
    "category",
    "brand",
    "image",
    "barcode",
    "parent",
    "tax",
    "active",
)
# Roles of money; there may be several columns of each, but the checks are about one.
MONEY = ("price", "cost", "sale_price")
# Languages that write several words as one, the last of which says what it is.
COMPOUNDING = ("de", "nl", "sv", "da", "no", "fi")
SHORTEST_END = 4
# Letters that do not come apart into a plain one and its accent (Unicode, canonical decomposition).
PLAIN_LETTERS = str.maketrans({"ø": "o", "ł": "l", "đ": "d", "ı": "i", "æ": "ae", "œ": "oe", "ð": "d", "þ": "th"})
NUMERIC = (*MONEY, "stock")
# Roles of which a header may say more, such as "main_category".
LOOSE = ("category", "image", "tax")
NO_ROLE = ("", 0, 0)
# How headers say that an amount includes tax.
WITH_TAX = re.compile(
    r"(^|_)(brutto|bruttopreis|gross|incl|inkl|including|inclusive|ttc|brut|bruto|ivato|inc_vat|con_iva|iva_incl\w*|"
    r"tva_incluse|mit_(mwst|ust)|met_btw|moms_inkl|z_vat|kdv_dahil)(_|$)|brutto(preis|price|vk)?$"
)
NUMBER = r"^[€$£¥₹]?\s?[+-]?[0-9][0-9.,'\u00a0\u202f ]*\s?([€$£¥₹%]|[A-Z]{3}|kr\.?|zł|Kč)?$"
SAMPLE, MOSTLY = 200, 0.8
# How surely a header is a word: it is the word, the word with others, or a compound that ends in it.
IS, HAS, ENDS = 3, 2, 1


@dataclass(frozen=True)
class RoleWord:
    """A word for a role; ``rank`` is its place in its list, the surest first."""

    text: str
    role: str
    rank: int
    compounding: bool


@cache
def _words() -> tuple[RoleWord, ...]:
    written = tomllib.loads((files("neat_delta.tables") / "role_words.toml").read_text("utf-8"))
    return tuple(
        RoleWord(plain(text), role, rank, language in COMPOUNDING)
        for role in ROLES
        for language, texts in written[role].items()
        for rank, text in enumerate(texts.split())
    )


@cache
def _by_text() -> dict[str, RoleWord]:
    """Each word as one; where two roles share it, the first role has it."""
    return {word.text: word for word in reversed(_words())}


@cache
def plain(name: str) -> str:
    """A field's name without accents; marks of sounds in Japanese stay."""
    lower = name.casefold().translate(PLAIN_LETTERS)
    if any("\u3040" <= sign <= "\u30ff" for sign in lower):
        return lower
    bare = "".join(sign for sign in unicodedata.normalize("NFKD", lower) if not unicodedata.combining(sign))
    return unicodedata.normalize("NFKC", bare)


@cache
def role_of(name: str) -> tuple[str, int, int] | None:
    """The role that a name speaks of, how surely (IS, HAS or ENDS), and the word's rank; the longest word wins."""
    text = plain(name)
    word = _by_text().get(text)
    if word is not None:
        return word.role, IS, word.rank
    parts = text.split("_")
    inside = [f"{'_'.join(parts[a:b])}" for a in range(len(parts)) for b in range(a + 1, len(parts) + 1)]
    inner = [(len(part), HAS, _by_text()[part]) for part in inside if part in _by_text()]
    for word in _words():
        if not word.text.isascii():
            if word.text in text:
                inner.append((2 * len(word.text), HAS, word))
        elif word.compounding and len(word.text) >= SHORTEST_END:
            inner += [(len(word.text), ENDS, word) for part in parts if part.endswith(word.text) and part != word.text]
    if not inner:
        return None
    _, how, word = max(inner, key=lambda one: (one[0], one[1], -one[2].rank))
    return word.role, how, word.rank


def speaks_of(name: str, *roles: str) -> bool:
    """Whether a field's name speaks of one of these roles."""
    role = role_of(name)
    return role is not None and role[0] in roles


def named_as(role: str, names: Iterable[str]) -> list[str]:
    """Those of the names that are words for a role, the surest first."""
    ranked = [(rank, name) for name in names for of, how, rank in [role_of(name) or NO_ROLE] if (of, how) == (role, IS)]
    return [name for _, name in sorted(ranked, key=lambda one: one[0])]


def fields_in_role(table: Table, role: str) -> list[str]:
    """The fields of a role, the surest first.

    A header that is a word for the role is enough; one that only has it, or ends in it, must be a number where the role
    is one of money or stock. Keys, names and brands are called just so: "supplier_code" is no brand.
    """
    ranked = [(name, how, rank) for name in table.names for of, how, rank in [role_of(name) or NO_ROLE] if of == role]
    sure = [one for one in ranked if one[1] == IS or (role in NUMERIC and _is_numeric(table, one[0])) or role in LOOSE]
    return [name for name, _, _ in sorted(sure, key=lambda one: (-one[1], one[2]))]


def field_in_role(table: Table, role: str) -> str | None:
    """The field that most surely has a role; ``None`` if none has it."""
    fields = fields_in_role(table, role)
    return fields[0] if fields else None


def taxed_otherwise(price: str, cost: str) -> bool:
    """Whether a price includes tax by its name, and a cost does not: VK brutto beside EK netto."""
    return bool(WITH_TAX.search(plain(price))) and not WITH_TAX.search(plain(cost))


def is_stock(name: str, kind: str) -> bool:
    """Whether a field of this name and type counts the units at a location."""
    return kind in ("quantity", "number") and speaks_of(name, "stock")


def _is_numeric(table: Table, name: str) -> bool:
    """Whether most of the first cells are numbers, perhaps with a currency."""
    some = table.cells([name], pl.int_range(min(SAMPLE, len(table)), dtype=pl.UInt32, eager=True))[name]
    filled = some.filter(some.str.contains(r"\S"))
    return len(filled) > 0 and filled.str.contains(NUMBER).sum() >= MOSTLY * len(filled)

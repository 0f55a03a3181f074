"""What each check, row state, level, type, setting and exit code means: for people who read its name on the screen.

The meaning of a check is in the code of the check, that of a setting below its declaration; examples, remedies and the
rest are in glossary.toml.
"""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from importlib.resources import files
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.changeset.problems import PROBLEMS
from neat_delta.tables.setting_texts import option_texts, sections, setting_texts
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.overrides import WHILE_COMPARING, override_option

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.text import Text

KINDS = {
    "level": "Levels of problems",
    "check": "Checks",
    "problem": "Problems found while comparing",
    "row": "Row states",
    "type": "Types of a field",
    "setting": "Settings",
    "exit": "Exit codes",
    "error": "Errors, by their code in --json",
}
# Where settings are declared, and in which file they are written.
SETTINGS = {
    "tables/settings.py": "catalogue.toml",
    "tables/settings_sections.py": "catalogue.toml",
    "tables/read_options.py": "catalogue.toml",
    "workflows/scheduled/run_config.py": "run file",
}


LINK = re.compile(r"\[(.+?)\]\([^)]*\)")


@dataclass(frozen=True)
class Term:
    """One name that the program prints, and what is to be known of it."""

    name: str
    kind: str
    """A key of ``KINDS``."""
    means: str
    example: str = ""
    fix: str = ""
    override: str = ""
    """The option that lets it through in one run."""
    note: str = ""
    """The level of a check or a problem, or the file that a setting is in."""


@cache
def terms() -> tuple[Term, ...]:
    """Every term, kind by kind, each kind in the order in which it is listed."""
    written = tomllib.loads((files("neat_delta.views") / "glossary.toml").read_text("utf-8"))
    every = [*_checks(written.pop("check")), *_settings()]
    for kind, entries in written.items():
        for name, entry in sorted(entries.items()) if kind == "error" else entries.items():
            override = WHILE_COMPARING.get(name, "") if kind == "problem" else ""
            note = PROBLEMS[name].level if kind == "problem" else ""
            every.append(Term(name, kind, override=override.partition(": ")[2], note=note, **entry))
    return tuple(sorted(every, key=lambda term: list(KINDS).index(term.kind)))


def _checks(written: dict[str, dict[str, str]]) -> Iterator[Term]:
    from neat_delta.checks import CHECKS, all_checks

    for check in CHECKS:
        option = override_option(check.name, check.override)
        yield Term(check.name, "check", check.about, override=option, note=check.level, **written.pop(check.name))
    for check in all_checks():
        if check not in CHECKS:
            option = override_option(check.name, check.override)
            yield Term(check.name, "check", check.about, override=option, note=check.level)
    if written:
        raise KeyError(f"glossary.toml has checks that do not exist: {', '.join(written)}")


def _settings() -> Iterator[Term]:
    for module, file in SETTINGS.items():
        source = files("neat_delta").joinpath(module).read_text("utf-8")
        for name, section in sections(source).items():
            declared = getattr(import_module("neat_delta." + module.removesuffix(".py").replace("/", ".")), name)
            for key, text in {**setting_texts(source, name), **option_texts(declared)}.items():
                yield Term(f"{section}.{key}".lstrip("."), "setting", text, note=file)


def terms_named(name: str) -> list[Term]:
    """The terms of this name, case aside; for a setting its last part is enough.

    Raises:
        InvalidOption: there is none; the hint has the nearest names.
    """
    asked = " ".join(name.lower().split())
    named = [term for term in terms() if asked in (term.name.lower(), f"{term.kind} {term.name}".lower())]
    named = named or [term for term in terms() if term.kind == "setting" and term.name.endswith(f".{asked}")]
    if not named:
        names = [term.name.rpartition(".")[2] for term in terms()]
        raise InvalidOption(
            "there is nothing of this name to explain", value=name, hint=nearest_hint(asked, names, "Names")
        )
    return named


def term_view(term: Term, width: int) -> Iterator[Text]:
    """One term: what it means, an example, how to fix it, how to let it through."""
    kind = {"row": "row state", "exit": "exit code", "error": "error code"}.get(term.kind, term.kind)
    yield labelled(kind, term.name + (f"   ({term.note})" if term.note else ""), "strong")
    for label, text in (
        ("means", term.means),
        ("example", term.example),
        ("fix", term.fix),
        ("override", term.override),
    ):
        yield from sentence(label, LINK.sub(r"\1", text).replace("`", ""), width)


def terms_view(width: int) -> Iterator[Text]:
    """The names of all terms, kind by kind."""
    for kind in KINDS:
        yield from sentence(kind, ", ".join(term.name for term in terms() if term.kind == kind), width)

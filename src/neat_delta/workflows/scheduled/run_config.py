"""The file that says what a run does: where its tables come from, where the update goes, where a person is needed."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any

from neat_delta.delivery.journal import default_journal
from neat_delta.errors import WrongChoice
from neat_delta.remote import where_of
from neat_delta.tables.settings import NAME as CATALOGUE
from neat_delta.tables.toml_validation import Checker, read_toml
from neat_delta.update.field_sets import FEWEST_CELLS, WAYS
from neat_delta.update.write import SHAPES

if TYPE_CHECKING:
    from neat_delta.remote import Where

TOP = {
    "live": str,
    "edited": str,
    "list": str,
    "catalogue": str,
    "folder": str,
    "journal": str,
    "include": list,
    "at_most": int,
    "rescue_codes": bool,
    "pack": str,
    "form": str,
    "to": str,
    "fresh": str,
    "limits": dict,
    "settle": dict,
    "mail": dict,
}
OF_LIMITS = {"changed": int, "share": Decimal, "held_back": int, "unknown": int}
OF_SETTLE = {"wait": int, "tries": int}
OF_MAIL = {"from": str, "to": list}


@dataclass(frozen=True)
class Limits:
    """How much may happen without a person: above these, nothing is sent.

    ``changed`` items, and as a ``share`` of the live ones; findings that have ``held_back`` something; rows whose code
    is ``unknown`` to the shop. ``None`` is any number; but of what is held back a person is told, unless so many
    findings are allowed.
    """

    changed: int | None = None
    share: Decimal | None = None
    held_back: int | None = None
    unknown: int | None = None


@dataclass(frozen=True)
class RunFile:
    """What a run does. Paths in the file are meant from the folder in which it lies.

    ``live``, ``edited`` and ``fresh`` (the export after the import) are files here or elsewhere; ``to`` is the place
    the update goes to, if any; ``folder`` is where each run has a folder of its own. After ``wait`` seconds the fresh
    export is fetched, so many ``tries`` until all has arrived. ``mail`` are sender and receivers of the summary.
    """

    path: Path
    live: Where
    edited: Where
    folder: Path
    journal: Path
    list: str | None = None
    catalogue: Path | None = None
    add: bool = False
    remove: int | None = None
    rescue: bool = False
    pack: str = FEWEST_CELLS
    form: str = "delimited"
    to: Where | None = None
    fresh: Where | None = None
    limits: Limits = Limits()
    wait: int = 0
    tries: int = 1
    mail: tuple[str, tuple[str, ...]] | None = None

    @property
    def name(self) -> str:
        """The file's name without its end."""
        return self.path.stem


def load_run(path: Path) -> RunFile:
    """Read and check the file of a run.

    Raises:
        Unreadable: with the line, what is wrong there, and what is allowed.
    """
    told, text = read_toml(path, "docs/schedule.md shows one.")
    return _Reader(path, text).run(told)


class _Reader(Checker):
    """Checks the parsed file part by part."""

    def run(self, told: dict[str, Any]) -> RunFile:
        self.check(told, TOP, ())
        for key in ("live", "edited"):
            if key not in told:
                raise self.wrong(key, (), f"nothing says where the {key} file is", f'Write {key} = "FILE or address".')
        self.texts(told.get("include", []), (), "include")
        include = told.get("include", [])
        if strange := [word for word in include if word not in ("new", "gone")]:
            raise self.wrong("include", (), "no such rows", 'Allowed: "new", "gone".', strange[0])
        if ("gone" in include) != ("at_most" in told):
            at = "include" if "gone" in include else "at_most"
            raise self.wrong(at, (), 'include "gone" and at_most go together', "Say how many items may be removed.")
        self.one_of(told, (), "pack", list(WAYS))
        self.one_of(told, (), "form", list(SHAPES))
        if "fresh" in told and "to" not in told:
            raise self.wrong("fresh", (), "there is nothing to settle where nothing is sent", "Say to as well.")
        settle = told.get("settle", {})
        self.check(settle, OF_SETTLE, ("settle",))
        self.at_least(settle, ("settle",), "wait", 0)
        self.at_least(settle, ("settle",), "tries", 1)
        self.at_least(told, (), "at_most", 1)
        here = self.path.parent / CATALOGUE
        return RunFile(
            path=self.path,
            live=self._where(told, "live"),
            edited=self._where(told, "edited"),
            folder=self.path.parent / told.get("folder", "runs"),
            journal=self.path.parent / told["journal"] if "journal" in told else default_journal(),
            list=told.get("list"),
            catalogue=self.path.parent / told["catalogue"] if "catalogue" in told else here if here.is_file() else None,
            add="new" in include,
            remove=told.get("at_most"),
            rescue=told.get("rescue_codes", False),
            pack=told.get("pack", FEWEST_CELLS),
            form=told.get("form", "delimited"),
            to=self._where(told, "to") if "to" in told else None,
            fresh=self._where(told, "fresh") if "fresh" in told else None,
            limits=self._limits(told.get("limits", {})),
            wait=settle.get("wait", 0),
            tries=settle.get("tries", 1),
            mail=self._mail(told.get("mail")),
        )

    def _where(self, told: dict[str, Any], key: str) -> Where:
        try:
            where = where_of(told[key])
        except WrongChoice as error:
            raise self.wrong(key, (), error.what, error.remedy or "Mend this line.", str(error.file)) from error
        return self.path.parent / where if isinstance(where, Path) else where

    def _limits(self, table: dict[str, Any]) -> Limits:
        place = ("limits",)
        self.check(table, OF_LIMITS, place)
        for key in OF_LIMITS:
            self.at_least(table, place, key, 0)
        return Limits(**table)

    def _mail(self, table: dict[str, Any] | None) -> tuple[str, tuple[str, ...]] | None:
        if table is None:
            return None
        place = ("mail",)
        self.check(table, OF_MAIL, place)
        for key in OF_MAIL:
            if not table.get(key):
                raise self.wrong(key, place, f"a mail needs {key}", "Write it below [mail].")
        self.texts(table["to"], place, "to")
        for address in (table["from"], *table["to"]):
            if "@" not in address or any(sign in address for sign in "\r\n"):
                raise self.wrong("to", place, "this is no mail address", "Write one such as shop@example.org.", address)
        return table["from"], tuple(table["to"])

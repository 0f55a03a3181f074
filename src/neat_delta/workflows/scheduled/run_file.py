"""A run file as text: the settings that are given, and the others as comments, each with what it is for."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING

import tomlkit

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

Value = str | int | datetime | list[str] | None


@dataclass(frozen=True)
class NewRun:
    """What is known of a run when its file is made; ``None`` becomes a comment."""

    live: str | None = None
    edited: Sequence[str] = ()
    profile: str | None = None
    changes: str | None = None
    formulas: Sequence[str] = ()
    to: str | None = None
    fresh: str | None = None
    begins: datetime | None = None
    ends: datetime | None = None
    mail: Mapping[str, Value] = field(default_factory=dict)


def run_file(new_run: NewRun, head: Sequence[str] = ()) -> str:
    """The text of a run file (TOML), with a comment at its head."""
    comment = [f"# {line}".rstrip() for line in head]
    return "\n".join([*comment, "", *_lines(new_run)]) + "\n"


def _lines(new_run: NewRun) -> Iterator[str]:
    yield _setting("live", new_run.live, "https://shop.example/export.csv", "the live export: a file or an address")
    yield from _source(new_run)
    yield _setting("to", new_run.to, "https://shop.example/api", "where the update goes; without it, nothing is sent")
    yield _setting(
        "fresh", new_run.fresh, "https://shop.example/export.csv", "the export after the import, to verify it"
    )
    if new_run.begins is not None or new_run.ends is not None:
        yield ""
        yield "[campaign]"
        yield _setting("from", new_run.begins, "", "when the changes are sent")
        yield _setting("until", new_run.ends, "", "when what still is as sent is put back")
    yield ""
    yield "[limits]                # above these, nothing is sent before you have looked"
    yield _setting("changed", None, 500, "items that change")
    yield _setting("share", None, 0.2, "of all items")
    yield _setting("errors", None, 10, "errors that are tolerated; the rest is sent")
    yield ""
    yield ("" if new_run.mail else "# ") + "[mail]                  # who gets the summary"
    for key, example, what in MAIL:
        yield _setting(key, new_run.mail.get(key), example, what)


MAIL: tuple[tuple[str, Value, str], ...] = (
    ("from", "nightly@shop.example", "the sender"),
    ("to", ["data@shop.example"], "the receivers"),
    ("server", "mail.shop.example", "the mail server (SMTP); without it, the mail is only written"),
    ("when", ["attention", "failure"], "also: success"),
)


def _source(new_run: NewRun) -> Iterator[str]:
    if new_run.changes is not None:
        yield _setting("changes", new_run.changes, "", "a saved change set, brought up to date with the live export")
        return
    if len(new_run.edited) > 1:
        for file in new_run.edited:
            yield ""
            yield "[[edited_files]]"
            yield _setting("file", file, "", "an edited file or a supplier's file")
            yield _setting("profile", new_run.profile, "waxwendle", "its supplier profile in catalogue.toml")
        yield ""
        return
    edited = new_run.edited[0] if new_run.edited else None
    yield _setting("edited", edited, "edited.csv", "the edited file, or a supplier's file")
    yield _setting("profile", new_run.profile, "waxwendle", "its supplier profile in catalogue.toml")
    yield _setting("set", list(new_run.formulas) or None, ["price = cost * 1.6"], "formulas for values")


def _setting(key: str, value: Value | float, example: Value | float, comment: str) -> str:
    shown = tomlkit.item(example if value is None else value).as_string()
    line = f"{'# ' if value is None else ''}{key} = {shown}"
    return f"{line:<54}  # {comment}"

"""Options that bring somebody else's list into our terms, and the section of catalogue.toml that keeps them."""

from __future__ import annotations

from dataclasses import asdict, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from neat_delta.cli.common import FileForm, gathered
from neat_delta.errors import WrongChoice

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Sequence

    from rich.text import Text

    from neat_delta.catalogue.settings import ListSettings, Settings

F = TypeVar("F", bound="Callable[..., Any]")


class ListOptions(NamedTuple):
    """What a run tells about a list."""

    name: str | None
    save_as: str | None
    columns: dict[str, str]
    leave_out: tuple[str, ...]
    match_on: str | None
    assume: dict[str, str]
    rules: tuple[str, ...]
    remember: dict[str, str]

    def over(self, settled: Settings, form: FileForm) -> ListSettings:
        """What holds for this list: as told in this run, else as it is saved.

        Raises:
            WrongChoice: no list of that name is saved.
        """
        from neat_delta.catalogue import field_name
        from neat_delta.catalogue.settings import ExportForm, ListSettings

        if self.name is not None and self.name not in settled.lists:
            saved = ", ".join(settled.lists) or "none"
            raise WrongChoice(f"--list {self.name}: no list of that name is saved", remedy=f"Saved lists: {saved}.")
        known = settled.lists[self.name] if self.name is not None else ListSettings()
        told = ExportForm(form.delimiter, form.charset, form.mark, form.header_line, form.sheet)
        either = asdict(known.form) | {name: value for name, value in asdict(told).items() if value is not None}
        rules = {rule.partition("=")[0].strip(): rule for rule in (*known.rules, *self.rules)}
        return replace(
            known,
            form=ExportForm(**either),
            columns={**known.columns, **{column: field_name(field) for column, field in self.columns.items()}},
            leave_out=tuple(dict.fromkeys([*known.leave_out, *map(field_name, self.leave_out)])),
            match_on=field_name(self.match_on) if self.match_on else known.match_on,
            assume={**known.assume, **{field_name(field): value for field, value in self.assume.items()}},
            rules=tuple(rules.values()),
            remember={**known.remember, **self.remember},
        )


def _pairs(_context: click.Context, option: click.Parameter, told: tuple[str, ...]) -> dict[str, str]:
    """``A=B`` options as a dictionary; the last sign of equality parts them, for columns may have one."""
    pairs = {}
    for text in told:
        left, equals, right = text.rpartition("=")
        if not (left.strip() and equals and right.strip()):
            raise click.BadParameter(f"{text!r} is not {option.metavar}")
        pairs[left.strip()] = right.strip()
    return pairs


def list_options(command: F) -> F:
    """Add the options about somebody else's list to a command, as ``listing``."""
    options = (
        click.option("--list", "name", metavar="NAME", help="Take EDITED as this list, saved in catalogue.toml."),
        click.option("--save-list", "save_as", metavar="NAME", help="Save what this run tells about EDITED as a list."),
        click.option(
            "--match",
            "columns",
            multiple=True,
            metavar="COLUMN=FIELD",
            callback=_pairs,
            help='This column is that field, such as "Dealer net=cost"; repeatable.',
        ),
        click.option("--leave-out", multiple=True, metavar="FIELD", help="Do not touch this field; repeatable."),
        click.option("--match-on", metavar="FIELD", help="EDITED names items by this field, which no two items share."),
        click.option(
            "--assume",
            multiple=True,
            metavar="FIELD=VALUE",
            callback=_pairs,
            help="EDITED lacks this field, and it has this value on all rows; repeatable.",
        ),
        click.option(
            "--set",
            "rules",
            multiple=True,
            metavar="RULE",
            help='Compute a field, such as "price = round(list.net * 1.6, 2)"; repeatable.',
        ),
        click.option(
            "--remember",
            multiple=True,
            metavar="THEIRS=OURS",
            callback=_pairs,
            help="Their code for an item, and ours; --save-list keeps it. Repeatable.",
        ),
    )
    return gathered(ListOptions, "listing", options, command)


def save_list(settings: Path | None, name: str, listed: ListSettings, columns: Sequence[str]) -> None:
    """Keep a list's settings in catalogue.toml, which is made if there is none; what else stands there stays."""
    from neat_delta.catalogue.settingsfile import NAME
    from neat_delta.whole import write_whole
    from neat_delta.writing.savedlist import with_list

    path = settings or Path(NAME)
    existing = path.read_text("utf-8") if path.exists() else ""
    write_whole(path, with_list(existing, name, listed, columns).encode())


def saved_view(name: str, settings: Path | None, width: int) -> Iterator[Text]:
    """Where a list was saved, and how it is used."""
    from neat_delta.catalogue.settingsfile import NAME
    from neat_delta.views.comparison import sentence

    said = f"as list {name} in {settings or NAME}; next time: --list {name}"
    yield from sentence("saved", said, width)

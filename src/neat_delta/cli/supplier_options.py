"""Options that bring somebody else's list into our terms, and the section of catalogue.toml that keeps them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from neat_delta.cli.common import SOURCE, bundle_options
from neat_delta.errors import InvalidOption

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Mapping

    from rich.text import Text

    from neat_delta.remote import Location
    from neat_delta.tables.read_options import ReadOptions
    from neat_delta.tables.settings import Settings, SupplierProfile

F = TypeVar("F", bound="Callable[..., Any]")


class SupplierOptions(NamedTuple):
    """What a run tells about a list."""

    name: str | None
    save_as: str | None
    columns: dict[str, str]
    leave_out: tuple[str, ...]
    match_on: str | None
    assume: dict[str, str]
    rules: tuple[str, ...]
    rules_new: tuple[str, ...]
    remember: dict[str, str]
    remember_value: tuple[tuple[str, str], ...]
    remember_file: Location | None

    def over(self, settings: Settings, format_given: ReadOptions) -> SupplierProfile:
        """What holds for this list: as told in this run, else as it is saved.

        Raises:
            InvalidOption: no list of that name is saved.
        """
        from neat_delta.tables import field_name
        from neat_delta.tables.settings import SupplierProfile

        if self.name is not None and self.name not in settings.profiles:
            saved = ", ".join(settings.profiles) or "none"
            raise InvalidOption(f"--list {self.name}: no list of that name is saved", hint=f"Saved lists: {saved}.")
        known = settings.profiles[self.name] if self.name is not None else SupplierProfile()
        codes, values = self._answers()
        return replace(
            known,
            format=known.format.overridden_by(format_given),
            columns={**known.columns, **{column: field_name(field) for column, field in self.columns.items()}},
            leave_out=tuple(dict.fromkeys([*known.leave_out, *map(field_name, self.leave_out)])),
            match_on=field_name(self.match_on) if self.match_on else known.match_on,
            assume={**known.assume, **{field_name(field): value for field, value in self.assume.items()}},
            rules=_by_field(known.rules, self.rules),
            rules_new=_by_field(known.rules_new, self.rules_new),
            remember={**known.remember, **codes},
            values={
                field: {**known.values.get(field, {}), **values.get(field, {})}
                for field in dict.fromkeys([*known.values, *values])
            },
        )

    def _answers(self) -> tuple[dict[str, str], dict[str, dict[str, str]]]:
        """Our codes for theirs, and our values for theirs by field: those of a file, then those told."""
        from neat_delta.tables import field_name

        codes: dict[str, str] = {}
        values: dict[str, dict[str, str]] = {}
        if self.remember_file:
            from neat_delta.matching.mapping_file import read_mapping_file

            codes, values = read_mapping_file(self.remember_file)
        for field, answer in self.remember_value:
            edited, live = _pair(answer, "FIELD THEIRS=OURS")
            values.setdefault(field_name(field), {})[edited] = live
        return codes | self.remember, values


def _by_field(*rules: tuple[str, ...]) -> tuple[str, ...]:
    """Rules, of which a later one for a field takes the place of an earlier one."""
    return tuple({rule.partition("=")[0].strip(): rule for multiple in rules for rule in multiple}.values())


def _pairs(_context: click.Context, option: click.Parameter, given: tuple[str, ...]) -> dict[str, str]:
    """``A=B`` options as a dictionary; the last sign of equality parts them, for columns may have one."""
    return dict(_pair(text, str(option.metavar)) for text in given)


def _pair(text: str, format_given: str) -> tuple[str, str]:
    left, equals, right = text.rpartition("=")
    if not (left.strip() and equals and right.strip()):
        raise click.BadParameter(f"{text!r} is not {format_given}")
    return left.strip(), right.strip()


def supplier_options(command: F) -> F:
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
            "--set-new",
            "rules_new",
            multiple=True,
            metavar="RULE",
            help='Compute a field of new items, such as "active = 1"; repeatable.',
        ),
        click.option(
            "--remember",
            multiple=True,
            metavar="THEIRS=OURS",
            callback=_pairs,
            help="Their code for an item, and ours; --save-list keeps it. Repeatable.",
        ),
        click.option(
            "--remember-value",
            multiple=True,
            nargs=2,
            metavar="FIELD THEIRS=OURS",
            help="Their value of a field, and ours, such as a stock room's name; repeatable.",
        ),
        click.option(
            "--remember-file",
            type=SOURCE,
            metavar="FILE",
            help="Two columns, their codes and ours; or three: field, their values and ours.",
        ),
    )
    return bundle_options(SupplierOptions, "supplier", options, command)


def save_profile(config: Path | None, name: str, profile: SupplierProfile, result: Mapping[str, str]) -> None:
    """Keep a list's settings in catalogue.toml, which is made if there is none; what else stands there stays."""
    from neat_delta.atomic_write import write_atomic
    from neat_delta.tables.settings import NAME
    from neat_delta.update.saved_profile import with_profile

    path = config or Path(NAME)
    existing = path.read_text("utf-8-sig") if path.exists() else ""
    write_atomic(path, with_profile(existing, name, profile, result).encode(), replace=True)


def saved_view(name: str, config: Path | None, width: int) -> Iterator[Text]:
    """Where a list was saved, and how it is used."""
    from neat_delta.tables.settings import NAME
    from neat_delta.views.lines import sentence

    message = f"as list {name} in {config or NAME}; next time: --list {name}"
    yield from sentence("saved", message, width)

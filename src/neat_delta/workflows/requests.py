"""Requests: what can be asked of each job that makes, writes or sends changes.

An option is declared here or in ``option_groups``, and nowhere else. A request says what is wanted; the module of the
job does it. Nothing heavy is loaded here, for the help of a command is made from it.
"""

from __future__ import annotations

from dataclasses import MISSING, dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.options import MATCHING, OUTPUT, SAFETY, SCOPE, SUPPLIER, VALUES, option, words_of
from neat_delta.locations import Location, Place
from neat_delta.workflows.compare_options import ComparisonOptions, RoundingOptions, TableOptions
from neat_delta.workflows.option_groups import (
    AgeOption,
    AllowOptions,
    ConflictOptions,
    ConflictsFileOption,
    DecisionsOption,
    KeyOption,
    OverwriteOption,
    PartOptions,
    PreferOption,
    ReadingOptions,
    SavingOptions,
    ScopeOptions,
    StrictOption,
    Unmarked,
    UpdateForm,
)

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings


@dataclass(frozen=True)
class FileOptions:
    """What is said of one of several edited files only.

    Attributes:
        profile: its supplier profile.
        set: formulas for its values.
        origin: where it is for the person, if what is read is a copy of it.
    """

    profile: str | None = None
    set: tuple[str, ...] = ()
    origin: Path | None = None


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class CompareRequest(ComparisonOptions, ConflictsFileOption, PreferOption, SavingOptions):
    """Compare a live export with one edited file, or several.

    Attributes:
        live: the live export.
        edited: the edited files; their changes are combined.
        settings: what is configured.
        files: what is said of each of the edited files only, in their order; none: nothing.
        base_table: the base, where a program has it as a table.
    """

    live: Table | Location
    edited: tuple[Table | Location, ...]
    settings: Settings
    files: tuple[FileOptions, ...] = ()
    base_table: Table | None = None
    save_profile: str | None = option(
        None, SUPPLIER, "Save the options of this group as a supplier profile.", metavar="NAME"
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class AdjustRequest(KeyOption, ScopeOptions, TableOptions, RoundingOptions, AllowOptions, SavingOptions):
    """Change the live catalogue by formulas.

    Attributes:
        live: the live export.
        settings: what is configured.
    """

    live: Table | Location
    settings: Settings
    set: tuple[str, ...] = option(
        MISSING,
        VALUES,
        'Calculate a field, such as "price = price * 1.05". Repeatable.',
        metavar="FORMULA",
        common=True,
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class RecodeRequest(KeyOption, AllowOptions, ReadingOptions, SavingOptions):
    """Change SKUs by a list of old and new ones.

    Attributes:
        live: the live export.
        codes: the list.
        settings: what is configured.
    """

    live: Table | Location
    codes: Table | Location
    settings: Settings
    old: str | None = option(None, MATCHING, "Column of CODES with the old SKUs.", metavar="COLUMN", common=True)
    new: str | None = option(None, MATCHING, "Column of CODES with the new SKUs.", metavar="COLUMN", common=True)
    rename_images: bool = option(False, VALUES, "Also rename image files that contain the SKU.")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class CombineRequest(PreferOption, DecisionsOption, ConflictsFileOption, OverwriteOption):
    """Combine change sets of one live export.

    Attributes:
        changes: the change sets, or their files.
        names: what they are called where they disagree; without any, as their files.
        live: the live export; ``None``: it is found.
        settings: what is configured.
    """

    changes: tuple[ChangeSet | Location, ...]
    live: Table | Location | None
    settings: Settings
    names: tuple[str, ...] = ()
    out: Path | None = option(
        None, OUTPUT, "Save the combined change set.", metavar="FILE", common=True, names=("-o", "--out"), required=True
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class AcceptRequest(PartOptions, OverwriteOption):
    """Accept a part of a change set.

    Attributes:
        changes: the change set, or its file.
        live: the live export, which a condition is about; ``None``: it is found where it is needed.
        settings: what is configured.
        keys: the keys of the items, where a program names them.
        is_approval: whether who accepts approves as well, and so is not one of those who made it.
    """

    changes: ChangeSet | Location
    live: Table | Location | None
    settings: Settings
    keys: tuple[str, ...] | None = None
    is_approval: bool = False
    review: Location | None = option(
        None, SCOPE, "A review workbook with rows marked accept or reject.", metavar="FILE", common=True
    )
    decisions: Location | None = option(
        None,
        SCOPE,
        'Decisions that were made and saved in the page of "preview --page".',
        metavar="FILE",
        common=True,
    )
    unmarked: Unmarked = option(
        "reject",
        SCOPE,
        "Reject or accept the changes that have no mark.",
        choices=words_of(Unmarked),
        shows_default=True,
    )
    failed: Location | None = option(None, SCOPE, "Select the rows that failed in this import report.", metavar="FILE")
    skip: tuple[str, ...] = option((), SCOPE, "Reject changes of this field. Repeatable.", metavar="FIELD")
    out: Path | None = option(
        None,
        OUTPUT,
        "Save the accepted part here.",
        metavar="FILE",
        common=True,
        names=("-o", "--out"),
        required=True,
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class SheetRequest(ScopeOptions, KeyOption, OverwriteOption):
    """Make a sheet for editing.

    Attributes:
        export: the live export.
        settings: what is configured.
    """

    export: Table | Location
    settings: Settings
    out: Path = option(
        MISSING,
        OUTPUT,
        "The sheet: .xlsx (safe), or .csv (plain text).",
        metavar="FILE",
        common=True,
        names=("-o", "--out"),
    )
    fields: str = option(
        "",
        SCOPE,
        "Only these fields, in this order; the key is always first.",
        metavar="A,B,C",
        common=True,
    )
    unlock: tuple[str, ...] = option((), SAFETY, "Unlock this field for editing. Repeatable.", metavar="FIELD")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class CheckRequest(AllowOptions, OverwriteOption):
    """Run all checks on a change set again.

    Attributes:
        changes: the change set, or its file.
        live: the live export; ``None``: it is found.
        settings: what is configured.
    """

    changes: ChangeSet | Location
    live: Table | Location | None
    settings: Settings
    problems: Path | None = option(
        None, OUTPUT, "Save the problems, with their rows, as a workbook.", metavar="FILE", common=True
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class RefreshRequest(ConflictOptions, ConflictsFileOption, OverwriteOption):
    """Bring a change set up to date with a newer export.

    Attributes:
        changes: the change set, or its file.
        fresh: the newer export.
        settings: what is configured.
    """

    changes: ChangeSet | Location
    fresh: Table | Location
    settings: Settings
    out: Path | None = option(
        None,
        OUTPUT,
        "Save the changes still to send.",
        metavar="FILE",
        common=True,
        names=("-o", "--out"),
        required=True,
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class VerifyRequest(OverwriteOption):
    """See what of a change set has arrived in the shop.

    Attributes:
        changes: the change set, or its file.
        fresh: an export made after the import.
        settings: what is configured.
    """

    changes: ChangeSet | Location
    fresh: Table | Location
    settings: Settings
    out: Path | None = option(
        None, OUTPUT, "Save the changes that were not applied.", metavar="FILE", common=True, names=("-o", "--out")
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class WriteRequest(AllowOptions, UpdateForm, StrictOption, AgeOption):
    """Write the update of a change set.

    Attributes:
        changes: the change set, or its file.
        live: the live export; ``None``: it is found.
        folder: where the update goes.
        settings: what is configured.
    """

    changes: ChangeSet | Location
    live: Table | Location | None
    folder: Path
    settings: Settings
    approval: Location | None = option(None, SAFETY, "The approval, if it is not next to CHANGES.", metavar="FILE")
    overwrite: bool = option(False, OUTPUT, "Overwrite an earlier update in DIR.")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class UndoRequest(UpdateForm, AgeOption):
    """Write the files that put back what a change set has changed.

    Attributes:
        changes: the change set, or its file.
        live: the live export that it was made from; ``None``: it is found.
        folder: where the files go.
        settings: what is configured.
    """

    changes: ChangeSet | Location
    live: Table | Location | None
    folder: Path
    settings: Settings
    fresh: Table | Location | None = option(
        None,
        SCOPE,
        "A newer export: undo only what was applied and not changed since. The rest is listed.",
        metavar="FILE",
        common=True,
    )
    overwrite: bool = option(False, OUTPUT, "Overwrite an earlier update in DIR.")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class SendRequest(AgeOption):
    """Send a written update.

    Attributes:
        folder: the update's folder.
        to: where it goes; ``None``: as the settings say.
        settings: what is configured.
        history: the history's file; ``None``: the user's.
    """

    folder: Path
    to: Place | None
    settings: Settings
    history: Path | None = None
    resume: bool = option(False, SAFETY, "Resume an interrupted transfer.", common=True)
    overwrite_sent: bool = option(
        False, SAFETY, "Send also cells that another update has sent since this one's export."
    )

"""The trial run: every check on a change set before anything is written for the shop.

A family of checks is a module of functions from a Trial to findings and a tuple of Checks; naming it here adds it.
"""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption, NeatDeltaError
from neat_delta.base.nearest import nearest_hint
from neat_delta.base.plugins import CHECKS as PLUGIN_CHECKS
from neat_delta.base.plugins import plugins
from neat_delta.changeset.apply_findings import apply_findings, with_findings_replaced
from neat_delta.changeset.changeset import with_overrides, with_rule
from neat_delta.changeset.findings import BLOCK, NO_EFFECT, REPAIR, findings_frame, no_findings
from neat_delta.changeset.head import Overrides
from neat_delta.changeset.problems import ROLE_WITHOUT_COLUMN
from neat_delta.checks import (
    accidents,
    barcodes,
    bulk,
    fills,
    imports,
    money,
    moved_cells,
    replacements,
    rules,
    shifts,
    values,
)
from neat_delta.checks.check import Check, CheckContext, Override
from neat_delta.tables import field_name

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

CHECKS: tuple[Check, ...] = (
    *accidents.CHECKS,
    *moved_cells.CHECKS,
    *fills.CHECKS,
    *shifts.CHECKS,
    *replacements.CHECKS,
    *bulk.CHECKS,
    *rules.CHECKS,
    *values.CHECKS,
    *barcodes.CHECKS,
    *money.CHECKS,
    *imports.CHECKS,
)
# What these find in a column as it was typed does not depend on what of it is held.
TYPED = frozenset(
    (
        *accidents.CHECKS,
        *moved_cells.CHECKS,
        *fills.CHECKS,
        *shifts.CHECKS,
        *replacements.CHECKS,
        *bulk.CHECKS,
    )
)
NOTHING_ALLOWED = Overrides()


@cache
def all_checks() -> tuple[Check, ...]:
    """Every check, those of plug-ins last; a plug-in may bring one check or several."""
    brought = plugins(PLUGIN_CHECKS).values()
    others = [check for one in brought for check in (one if isinstance(one, tuple | list) else [one])]
    names = {check.name for check in CHECKS}
    return (*CHECKS, *(_named_if_it_fails(check) for check in others if check.name not in names))


def _named_if_it_fails(check: Check) -> Check:
    """A check of a plug-in, of which it is said whose it is if it fails."""

    def run(context: CheckContext) -> pl.DataFrame:
        try:
            return check.run(context)
        except NeatDeltaError:
            raise
        except Exception as error:
            raise InvalidOption(
                f"the check {check.name!r} of a plug-in ({check.run.__module__}) failed: "
                f"{type(error).__name__}: {error}",
                hint="Repair the plug-in, or uninstall it.",
            ) from error

    run.__doc__ = check.run.__doc__
    return replace(check, run=run)


def run_checks(
    changes: ChangeSet,
    live: Table,
    settings: Settings,
    overrides: Overrides = NOTHING_ALLOWED,
    images: frozenset[str] | None = None,
) -> pl.DataFrame:
    """The findings of every check, in the order of the checks; of one name there is one check.

    Raises:
        InvalidOption: a field that this run should allow something does not exist, or a check to be let pass does not.
    """
    overrides = _known(overrides, live)
    _insist_on_known_checks(settings)
    lacking = _roles_without_field(live, settings)
    context = CheckContext(changes, live, settings, overrides, images)
    chosen = [check for check in all_checks() if check.name not in (*overrides.ignore, *settings.checks.ignore)]
    # What a spreadsheet program explains is no edit, so the other checks do not see it.
    first = [check for check in chosen if check in accidents.CHECKS]
    findings = pl.concat([lacking, *(context.findings_of(check) for check in first)])
    restored = findings.filter(effect=REPAIR)
    context = replace(context, changes=apply_findings(changes, restored)) if len(restored) else context
    findings = pl.concat([findings, *(context.findings_of(check) for check in chosen if check not in first)])
    return _until_nothing_more_is_held(findings, context, [check for check in chosen if check not in TYPED])


def _roles_without_field(live: Table, settings: Settings) -> pl.DataFrame:
    """Warnings on configured roles whose field this export does not have, so that checks are off.

    Raises:
        InvalidOption: it is no field of the catalogue at all.
    """
    findings = [no_findings()]
    for role, name in settings.roles.lacking(live):
        if not name:
            continue  # (no field has this role)
        if name not in settings.fields:
            raise InvalidOption(
                f"{role} in [roles] of {settings.path or 'catalogue.toml'}: there is no field {name}",
                file=live.source.path,
                hint=nearest_hint(name, live.names),
            )
        message = f"{live.source.name} has no column {name}, so the checks on the {role.replace('_', ' ')} are off"
        findings.append(findings_frame(ROLE_WITHOUT_COLUMN, field=name, message=message))
    return pl.concat(findings)


def _until_nothing_more_is_held(findings: pl.DataFrame, context: CheckContext, chosen: Sequence[Check]) -> pl.DataFrame:
    """The findings, and those on what remains: whatever is held keeps its live value, beside which others may be wrong.

    A sale price that was below the new price is not below the old one; a code that one item was to lose is not free for
    another; an item that another one still links to cannot go.
    """
    new = findings
    while len(new.filter(effect=BLOCK)):
        remaining = replace(context, changes=apply_findings(context.changes, findings), _memory={})
        again = pl.concat([no_findings(), *(remaining.findings_of(check) for check in chosen)])
        new = again.join(findings, on=["code", "key", "field"], how="anti", nulls_equal=True, maintain_order="left")
        findings = pl.concat([findings, new])
    return findings


def checks_without_fields(live: Table, settings: Settings) -> dict[str, list[str]]:
    """The checks that are off because no field has a role that they need, by the roles that are lacking."""
    fields = settings.roles.found(live)
    off: dict[str, list[str]] = {}
    for check in all_checks():
        lacking = [role for role in check.needs if not fields[role]]
        if lacking:
            off.setdefault(" and ".join(role.replace("_", " ") for role in lacking), []).append(check.name)
    return off


def recheck(
    changes: ChangeSet,
    live: Table,
    settings: Settings,
    overrides: Overrides = NOTHING_ALLOWED,
    images: frozenset[str] | None = None,
) -> ChangeSet:
    """A kept change set after the checks, with what its own run let through and what this one does besides.

    What the checks stop is held back. Findings of level stop that it has already are kept, for their cells are gone.
    """
    both = changes.head.overrides.joined(overrides)
    again = run_checks(changes, live, settings, both, images)
    of_checks = pl.col("code").is_in([check.name for check in all_checks()])
    kept = changes.findings.filter((pl.col("effect") != NO_EFFECT) | ~of_checks)
    return apply_findings(
        with_findings_replaced(with_rule(with_overrides(changes, both), settings.send.rule), kept), again
    )


def _known(overrides: Overrides, live: Table) -> Overrides:
    """The same with field names as we write them, all of which there are."""
    names: dict[str, Sequence[str]] = {
        "unlock": overrides.unlock,
        "allow_new_values": overrides.allow_new_values,
        "as_typed": overrides.as_typed,
    }
    for option, configured in names.items():
        for name in configured:
            if field_name(name) not in live.names:
                raise InvalidOption(
                    "there is no field with this name",
                    option=option,
                    value=name,
                    hint=nearest_hint(name, live.names),
                )
    open_ones = _open_checks()
    for name in overrides.ignore:
        if name not in open_ones:
            raise InvalidOption(
                "there is no check with this name that can be ignored",
                option="ignore",
                value=repr(name),
                hint=nearest_hint(name, open_ones, "Choose from"),
            )
    for one in overrides.allow:
        _insist_on_field_and_check(one, live, open_ones)
    return replace(overrides, **{option: tuple(map(field_name, configured)) for option, configured in names.items()})


def _insist_on_known_checks(settings: Settings) -> None:
    """Refuse a check of ``[[checks.allow]]`` that there is not."""
    names = _open_checks()
    for one in settings.checks.allow:
        if one.check not in names:
            raise InvalidOption(
                f"[[checks.allow]] of {settings.path or 'catalogue.toml'}: there is no check {one.check!r}",
                hint=nearest_hint(one.check, names, "Choose from"),
            )


def _open_checks() -> list[str]:
    """The names of the checks that may be passed."""
    return [check.name for check in all_checks() if check.override is Override.IGNORE]


def _insist_on_field_and_check(allowed: str, live: Table, open_ones: Sequence[str]) -> None:
    """Refuse what is not a field and a check that may be passed, as "bin=fill series"."""
    name, equals, check = allowed.partition("=")
    if not equals or not check:
        raise InvalidOption(
            "a field and a check are needed", option="allow", value=allowed, hint='Write "FIELD=CHECK".'
        )
    if field_name(name) not in live.names:
        raise InvalidOption(
            "there is no field with this name", option="allow", value=allowed, hint=nearest_hint(name, live.names)
        )
    if check not in open_ones:
        raise InvalidOption(
            "there is no check with this name that can be passed",
            option="allow",
            value=allowed,
            hint=nearest_hint(check, open_ones, "Choose from"),
        )

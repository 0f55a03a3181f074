"""Which option lets through, in one run, what a check has found."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING

from neat_delta.changeset.problems import (
    CLASH,
    DAMAGED_SKU,
    DOUBTFUL_VALUE,
    LIKELY_SKU_CHANGE,
    LOST_BASE,
    NO_SKU,
    OLDER_VALUES,
    RESTORED_VALUE,
    UNUSED_COLUMN,
)
from neat_delta.checks.check import Override

if TYPE_CHECKING:
    from collections.abc import Sequence

OPTIONS = {
    Override.UNLOCK: "--unlock FIELD",
    Override.NEW_VALUES: "--allow-new-values FIELD",
    Override.AS_TYPED: "--as-typed FIELD",
    Override.IGNORE: '--ignore "CHECK"',
}
PURPOSES = {
    Override.UNLOCK: "to allow it",
    Override.NEW_VALUES: "to allow new values",
    Override.AS_TYPED: "to accept it as typed",
    Override.IGNORE: "to send it anyway",
}
# Findings that come from comparing rather than from a check.
WHILE_COMPARING: dict[str, str] = {
    DAMAGED_SKU: "to repair: --repair-skus",
    RESTORED_VALUE: "to send it unchanged: --as-typed FIELD",
    LIKELY_SKU_CHANGE: "to confirm: --sku-changes FILE (columns old, new)",
    DOUBTFUL_VALUE: "to accept it as typed: --as-typed FIELD",
    NO_SKU: "to match it: --map-code THEIRS=OURS",
    OLDER_VALUES: "not to send them: --base kept; if these values are meant: --base none",
    UNUSED_COLUMN: 'to use it: --map "COLUMN=FIELD"; to leave it out: --skip "COLUMN"',
    LOST_BASE: "give that export with --base FILE; to send all differences: --base none",
    CLASH: "to decide all: --on-conflict ours, or shop; row by row: --conflicts FILE, then --decisions FILE",
}


def override_option(check: str, override: Override | None) -> str:
    """The option that lets a check's findings through, as it is listed; nothing if there is none."""
    return OPTIONS[override].replace("CHECK", check) if override else ""


def override_hint(code: str, level: str, fields: Sequence[str]) -> str | None:
    """How to let these findings of one check through; ``None`` if there is no way, or nothing is held back.

    ``fields`` are those that the findings are about, each once.
    """
    override = _overrides().get(code)
    if override is None:
        hint = WHILE_COMPARING.get(code)
        by_field = "--as-typed FIELD"
        return hint.replace(by_field, " ".join(f"--as-typed {name}" for name in fields)) if hint and fields else hint
    if level != "error" and override is not Override.AS_TYPED:
        return None
    option = override_option(code, override)
    if override is Override.IGNORE and fields:
        # One answer for these fields; the check stays on for all others.
        allowed = " ".join(f'--allow "{name}={code}"' for name in fields)
        return f"{PURPOSES[override]}: {allowed}"
    options = [option.replace("FIELD", name) for name in fields] if option.endswith("FIELD") else [option]
    return f"{PURPOSES[override]}: {' '.join(options)}" if options else None


@cache
def _overrides() -> dict[str, Override | None]:
    from neat_delta.checks.runner import all_checks

    return {check.name: check.override for check in all_checks()}

"""What a run would do, looked at without any network: its settings, its formulas, the files of this machine."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from neat_delta.base.errors import NeatDeltaError
from neat_delta.base.json_form import to_json
from neat_delta.base.options import options_of
from neat_delta.diff.formulas import parse_formula
from neat_delta.expressions import ExpressionError, parse_expression
from neat_delta.locations import FileSet
from neat_delta.locations.listing import members_of
from neat_delta.remote.address import Address
from neat_delta.tables.config_loader import keys_of
from neat_delta.tables.settings import Settings
from neat_delta.tables.settings_file import load_settings
from neat_delta.workflows.base import KEPT_BASE, NO_BASE
from neat_delta.workflows.conflicts import policy_of
from neat_delta.workflows.plan import names_of_images
from neat_delta.workflows.scheduled.notices import is_own
from neat_delta.workflows.supplier import profile_named, with_tables

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.locations import Location
    from neat_delta.workflows.scheduled.run_config import RunConfig


def mistakes_of(config: RunConfig) -> list[str]:
    """Everything that can be seen to be wrong without reading a table or asking another machine."""
    mistakes = []
    settings = Settings()
    if config.catalogue is not None:
        try:
            settings = load_settings(config.catalogue)
        except NeatDeltaError as error:
            mistakes += str(error).split("\n")
    profiles = [config.profile, *(one.profile for one in config.edited_files)]
    formulas = [*config.set, *(text for one in config.edited_files for text in one.formulas)]
    checks: list[Callable[[], object]] = [partial(profile_named, name, settings) for name in profiles]
    checks += [partial(parse_formula, text) for text in formulas]
    checks += [partial(parse_expression, config.where)] if config.where is not None else []
    checks += [config.read_options, partial(policy_of, config), partial(with_tables, config, settings)]
    checks += [partial(names_of_images, config.images)]
    for check in checks:
        try:
            check()
        except ExpressionError as error:
            mistakes.append(f"where: {error}")
        except NeatDeltaError as error:
            mistakes.append(str(error))
    read = ("live", "edited", "changes", "items", "sku_changes", "map_file", "decisions", "base")
    located = [(name, getattr(config, name)) for name in read if str(getattr(config, name)) not in (NO_BASE, KEPT_BASE)]
    for name, location in (*located, *(("edited_files", one.file) for one in config.edited_files)):
        mistakes += [f"{name}: {what}" for what in _missing(location)]
    for name in ("heartbeat", "metrics"):
        path = getattr(config, name)
        if isinstance(path, Path) and not is_own(path):
            mistakes.append(f"{name}: {path} is another file, which is never replaced. Choose another name.")
    if isinstance(config.to, Path) and not config.to.is_dir():
        mistakes.append(f"to: {config.to}: folder not found")
    return mistakes


def effective(config: RunConfig) -> dict[str, Any]:
    """The settings of a run as they hold, those that are not written too; paths in full."""
    described: dict[str, Any] = {}
    for name in ("live", "edited", "changes", "items", "catalogue", "folder", "to", "fresh"):
        value = getattr(config, name)
        described[name] = None if value is None else str(value.absolute() if isinstance(value, Path) else value)
    described["history"] = str(config.history_file)
    described |= {name: _shown(getattr(config, name)) for name in options_of(type(config)) if name not in described}
    described["edited_files"] = [str(one.file) for one in config.edited_files]
    if config.campaign is not None:
        described["campaign"] = {"from": str(config.campaign.start), "until": str(config.campaign.end)}
    described |= {"limits": _section(config.limits), "verify": _section(config.waiting)}
    described |= {"heartbeat": config.heartbeat and str(config.heartbeat), "keep_days": config.keep_days}
    described["metrics"] = config.metrics and str(config.metrics.absolute())
    return described | {"mail": _section(config.mail), "webhook": _section(config.webhook)}


def _shown(value: Any) -> Any:
    """The value of an option as JSON has it."""
    if isinstance(value, tuple):
        return list(value)
    return value if value is None or isinstance(value, str | bool | int | Mapping) else str(value)


def _section(settings: Any) -> dict[str, Any] | None:
    """A section by the names that its settings have in the file."""
    if settings is None:
        return None
    values = {key: getattr(settings, name) for name, key in keys_of(type(settings)).items()}
    return {key: str(value) if isinstance(value, Address) else to_json(value) for key, value in values.items()}


def _missing(location: Location | None) -> list[str]:
    """What of a location is on this machine and is not there."""
    if isinstance(location, Path):
        return [] if location.is_file() or str(location) == "-" else [f"{location}: file not found"]
    if isinstance(location, FileSet) and all(isinstance(part, Path) for part in location.parts):
        try:
            members_of(location)
        except NeatDeltaError as error:
            return [str(error)]
    return []

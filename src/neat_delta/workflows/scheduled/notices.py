"""How people and other programs are told of a run: by mail, webhook, heartbeat and a file of metrics."""

from __future__ import annotations

import hashlib
import hmac
import re
import shutil
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.errors import NeatDeltaError, WriteError
from neat_delta.base.json_form import json_bytes
from neat_delta.delivery.history import History
from neat_delta.files.atomic_write import write_atomic
from neat_delta.remote import web
from neat_delta.remote.mail import MailServer, send_mail
from neat_delta.remote.secrets import named_secret
from neat_delta.remote.transfer_errors import TransferError
from neat_delta.workflows.scheduled import campaign
from neat_delta.workflows.scheduled.earlier_runs import CONTINUED_FILE, WAITING_FILE, own_folders
from neat_delta.workflows.scheduled.report import DONE, FAILED, NOTHING
from neat_delta.workflows.scheduled.run_config import ATTENTION, FAILURE, SUCCESS

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from neat_delta.delivery.history import Entry
    from neat_delta.remote.address import Address
    from neat_delta.workflows.scheduled.report import RunReport
    from neat_delta.workflows.scheduled.run_config import RunConfig

# How a heartbeat and a file of metrics begin.
OWN = re.compile(rb"[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9:]{8}Z [a-z ]+\r?\n?\Z|# TYPE neat_delta_run_")
SECRET, SIGNATURE = "WEBHOOK_SECRET", "X-Neat-Delta-Signature"


def outcome(report: RunReport) -> str:
    """How a run came out, as settings name it: success, attention or failure."""
    if report.verdict == FAILED:
        return FAILURE
    return SUCCESS if report.verdict in (DONE, NOTHING) else ATTENTION


def notify(config: RunConfig, report: RunReport, mail: bytes | None) -> list[str]:
    """Tell of a run whom the run file names; what could not be told comes back in words, and stops nothing else."""
    failed = []
    for name, tell in _notices(config, report, mail):
        try:
            tell()
        except (NeatDeltaError, TransferError, OSError) as error:
            failed.append(f"{name}: {error}")
    return failed


def _notices(config: RunConfig, report: RunReport, mail: bytes | None) -> Iterator[tuple[str, Callable[[], object]]]:
    came_out = outcome(report)
    if config.metrics is not None:
        path = config.metrics
        yield "metrics", lambda: _replace_own(path, metrics(report).encode())
    if config.mail and config.mail.server and mail is not None and came_out in config.mail.outcomes:
        told = config.mail
        server = MailServer(config.mail.server, told.port, told.security, told.user)
        yield "mail", lambda: send_mail(server, mail, told.sender, told.receivers)
    if config.webhook and came_out in config.webhook.outcomes:
        address = config.webhook.address
        yield "webhook", lambda: _post(address, report)
    if config.heartbeat is not None and came_out != FAILURE:
        beat = config.heartbeat
        yield "heartbeat", lambda: _beat(beat, report)


def _post(address: Address, report: RunReport) -> None:
    """The summary as JSON, with the HMAC-SHA-256 of the body by the secret of the webhook, if there is one."""
    body = json_bytes(report.as_dict())
    headers = {"Content-Type": "application/json"}
    secret = named_secret(SECRET)
    if secret is not None:
        headers[SIGNATURE] = "sha256=" + hmac.new(secret.encode(), body, hashlib.sha256).hexdigest()
    web.ask("POST", address, headers=headers, content=body)


def _beat(where: object, report: RunReport) -> None:
    if isinstance(where, Path):
        _replace_own(where, f"{_utc(report.ended)} {report.verdict}\n".encode())
    else:
        web.ask("GET", where)  # type: ignore[arg-type]  # (the settings allow a path or a web address only)


def is_own(path: Path) -> bool:
    """Whether a file is a heartbeat or the metrics of an earlier run, or there is none: only that may be replaced."""
    if not path.exists():
        return True
    try:
        with path.open("rb") as file:
            return bool(OWN.match(file.read(200))) or path.stat().st_size == 0
    except OSError:
        return False


def _replace_own(path: Path, data: bytes) -> None:
    """Write a file anew that an earlier run has written.

    Raises:
        WriteError: it is another file.
    """
    if not is_own(path):
        raise WriteError("this is another file, so it was not replaced", file=path, hint="Choose another name.")
    write_atomic(path, data, replace=True)


def metrics(report: RunReport) -> str:
    """Counts and times of a run as OpenMetrics text (version 1.0.0)."""
    ended = report.ended or datetime.now(UTC)
    run = f'run="{_escaped(report.name)}"'
    families: list[tuple[str, str, dict[str, float]]] = [
        ("end_timestamp_seconds", "when the last run ended", {"": ended.timestamp()}),
        ("duration_seconds", "how long it took", {"": (ended - report.started).total_seconds()}),
        ("exit_code", "its exit code", {"": report.exit_code}),
        ("sent", "whether anything was sent", {"": int(report.sent)}),
        ("cells", "cells that change", {"": report.cells}),
        ("items", "items that change, by what becomes of them", _labelled("action", report.items)),
        ("rows", "rows of the edited file, by state", _labelled("state", report.counts)),
        ("problems", "problems found, by level", _labelled("level", report.levels)),
        ("results", "rows by the answer of the shop", _labelled("result", report.results)),
    ]
    lines = []
    for name, text, values in families:
        lines += [f"# TYPE neat_delta_run_{name} gauge", f"# HELP neat_delta_run_{name} {text}"]
        for label, value in values.items():
            lines.append(f"neat_delta_run_{name}{{{run}{label}}} {value:.15g}")
    return "\n".join([*lines, "# EOF", ""])


def _labelled(label: str, counts: dict[str, int]) -> dict[str, float]:
    return {f',{label}="{_escaped(name)}"': number for name, number in counts.items()}


def _escaped(text: str) -> str:
    return text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")


def delete_old_runs(config: RunConfig, report: RunReport) -> int:
    """Delete the folders of runs that are older than the run file says; returns how many.

    Those stay that wait for an approval, that a campaign will need to put back, or whose update is still on its way.
    """
    if config.keep_days is None:
        return 0
    oldest = datetime.now(UTC) - timedelta(days=config.keep_days)
    needed = {Path(entry.folder).parent for entry in _on_their_way(config)} | {report.folder.resolve()}
    if config.campaign is not None:
        needed |= {(config.folder / name).resolve() for name in campaign.load_state(config).sent}
    gone = 0
    for folder in list(own_folders(config)):
        waits = (folder / WAITING_FILE).is_file() and not (folder / CONTINUED_FILE).exists()
        made = datetime.strptime(folder.name[len(config.name) + 1 :][:18], "%Y-%m-%dT%H%M%SZ").replace(tzinfo=UTC)
        if made < oldest and not waits and folder.resolve() not in needed:
            shutil.rmtree(folder, ignore_errors=True)
            gone += 1
    return gone


def _on_their_way(config: RunConfig) -> list[Entry]:
    return [entry for entry in History(config.history_file).entries() if entry.state == "in progress"]


def _utc(moment: datetime | None) -> str:
    return (moment or datetime.now(UTC)).strftime("%Y-%m-%dT%H:%M:%SZ")

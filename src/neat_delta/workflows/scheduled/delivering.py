"""What a run does with a written update: send it, go on with one that was cut off, and see what has arrived."""

from __future__ import annotations

import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.errors import DeliveryError
from neat_delta.changeset.serialization import save_changes
from neat_delta.delivery.answers import needs_attention
from neat_delta.delivery.destinations import destination_of
from neat_delta.delivery.history import History
from neat_delta.reading import read_table
from neat_delta.reconcile.three_way import APPLIED
from neat_delta.reconcile.verify import verify
from neat_delta.update.receipt import CHANGESET_FILE, RECEIPT
from neat_delta.workflows.requests import SendRequest
from neat_delta.workflows.scheduled.campaign import UPDATE_FOLDER
from neat_delta.workflows.scheduled.earlier_runs import is_name_of_run, is_own
from neat_delta.workflows.scheduled.fetching import fetch
from neat_delta.workflows.scheduled.telling import several, tell_landed, tell_results
from neat_delta.workflows.send import ready, send

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.base.progress import ProgressReporter
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.history import Entry
    from neat_delta.locations import Place
    from neat_delta.tables.settings import Settings
    from neat_delta.workflows.scheduled.report import RunReport
    from neat_delta.workflows.scheduled.run_config import RunConfig
    from neat_delta.workflows.send import Sending

REMAINING_FILE = "remaining.changes.jsonl"
# Where the files of an earlier run are put that are not where they were.
EARLIER_FOLDER = "earlier"


@dataclass(frozen=True)
class Delivery:
    """The way of a run's updates to its destination, told step by step in the run's report."""

    config: RunConfig
    report: RunReport
    progress: ProgressReporter
    settings: Settings

    def deliver(self, folder: Path, ends: Entry | None = None, leaving: Callable[[], None] = lambda: None) -> bool:
        """Send the written update of a folder and verify it, if that is wanted; whether the shop has been sent it.

        ``ends`` is the start of the campaign that the update ends; ``leaving`` is called before anything leaves.
        """
        if self.config.to is None:
            self.report.skip("send", "the run file has no destination (to)")
            return False
        sending = ready(self._request(folder), ends)
        before = sending.sent_before()
        if before is None:
            self._send(sending, leaving)
        else:
            self.report.skip("send", f"sent on {before.begun} (history #{before.entry}), and the export is older")
        self._verify(sending.update.change_set)
        return True

    def finish_earlier(self) -> None:
        """Go on with an update of an earlier run that was cut off on its way, before anything else is looked at."""
        history, place = History(self.config.history_file), destination_of(self._place).name
        for entry in history.at(place):
            if entry.state != "in progress":
                continue
            folder = self._folder_of(entry)
            if folder is None:
                continue
            if not folder.is_dir() and not self._restored(history, entry, folder):
                message = (
                    f"the files of history #{entry.entry} are missing; this comparison finds what is still to change"
                )
                self.report.skip("earlier", message)
                continue
            with self.report.step("earlier", self.progress) as step:
                sending = ready(self._request(folder, resume=True))
                self.report.sent = True
                send(sending, self.progress)
                step.message = f"the rest of history #{entry.entry} was sent"

    def _folder_of(self, entry: Entry) -> Path | None:
        """Where the files of an entry are by now, or are to be put; ``None``: they are of no run of this file."""
        folder = Path(entry.folder)
        moved = self.config.folder / folder.parent.name / folder.name
        if not folder.name.startswith(UPDATE_FOLDER) or not is_name_of_run(self.config, folder.parent.name):
            return None
        if folder.is_dir() or not moved.is_dir():
            is_of_this_run = is_own(self.config, folder.parent)
            gone = self.report.folder / f"{EARLIER_FOLDER}-{entry.entry}"
            return (folder if folder.is_dir() else gone) if is_of_this_run else None
        return moved

    def _restored(self, history: History, entry: Entry, folder: Path) -> bool:
        """Put the files of an entry into a folder as the history has kept them; whether it has."""
        kept, changes = history.kept_files(entry), history.change_set(entry)
        if RECEIPT not in kept or changes is None:
            return False
        folder.mkdir()
        for name, data in (kept | {CHANGESET_FILE: changes}).items():
            (folder / name).write_bytes(data)
        return True

    @property
    def _place(self) -> Place:
        assert self.config.to is not None
        return self.config.to

    def _request(self, folder: Path, *, resume: bool = False) -> SendRequest:
        history = self.config.history_file
        return SendRequest(folder=folder, to=self._place, settings=self.settings, history=history, resume=resume)

    def _send(self, sending: Sending, leaving: Callable[[], None]) -> None:
        report, folder = self.report, sending.update.folder.resolve()

        def departs() -> None:
            report.sent = True
            leaving()

        with report.step("send", self.progress) as step:
            try:
                entry = send(sending, self.progress, departs)
            except DeliveryError:
                entries = sending.history.at(sending.place)
                report.sent = any(one.has_left for one in entries if Path(one.folder) == folder)
                raise
            report.entry = entry.entry
            tell_results(report, entry)
            wrong = needs_attention(entry)
            step.message = f"{several(len(entry.files), 'file')} to {entry.place}, history #{entry.entry}"
            if wrong:
                report.attention_reasons.append(f"the shop's answer: {wrong}")
                report.suggest("history", str(entry.entry), "--history", str(self.config.history_file))

    def _verify(self, sent: ChangeSet) -> None:
        """Fetch the export made after the import, again and again until all has arrived or patience ends."""
        report, fresh = self.report, self.config.fresh
        if fresh is None:
            report.skip("verify", "the run file has no export to verify with (fresh)")
            return
        for _ in range(self.config.waiting.tries):
            self.progress.step("waiting for the shop")
            time.sleep(self.config.waiting.wait)
            kept = fetch(report, self.progress, "fresh", fresh, "fresh-")
            with report.step("verify", self.progress) as step:
                export = read_table(kept, self.progress, self.settings.export)
                seen = verify(sent, export.renamed(sent.head.names()), self.settings)
                tell_landed(report, seen)
                step.message = f"{report.applied.get(APPLIED, 0):,} of {several(len(seen.changes), 'change')} applied"
            if seen.done:
                return
        save_changes(seen.remaining, report.folder / REMAINING_FILE)
        report.attention_reasons.append(
            f"not applied as sent: {several(len(seen.changes) - seen.count(APPLIED), 'change')}"
        )
        report.suggest("preview", str(report.folder / REMAINING_FILE))

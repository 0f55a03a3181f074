"""One run: fetch, compare, check, write, send, verify; whatever happens, it is written down in the report."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.approval import approval_path, load_approval
from neat_delta.approval.gate import why_not
from neat_delta.base.errors import DeliveryError, NeatDeltaError
from neat_delta.base.exit_codes import exit_for
from neat_delta.base.options import options_of
from neat_delta.base.path_text import path_text
from neat_delta.changeset.serialization import load_changes, save_changes
from neat_delta.delivery.answers import needs_attention
from neat_delta.delivery.destinations import destination_of
from neat_delta.delivery.history import DONE, History
from neat_delta.files.atomic_write import new_together, write_atomic
from neat_delta.reading import read_table
from neat_delta.reconcile.three_way import APPLIED
from neat_delta.reconcile.verify import verify
from neat_delta.tables.config_loader import load_settings
from neat_delta.tables.settings import Settings
from neat_delta.update.receipt import CHANGESET_FILE
from neat_delta.workbooks.problems import problems_workbook
from neat_delta.workflows.option_groups import UpdateForm
from neat_delta.workflows.requests import SendRequest, UndoRequest
from neat_delta.workflows.scheduled import campaign
from neat_delta.workflows.scheduled.campaign import UPDATE_FOLDER
from neat_delta.workflows.scheduled.earlier_runs import (
    CHANGES_FILE,
    WAITING_FILE,
    Approved,
    approved_meanwhile,
    is_own,
    why_none_holds,
)
from neat_delta.workflows.scheduled.fetching import fetch
from neat_delta.workflows.scheduled.planning import Inputs, Planned, over_limits, planned, refreshed
from neat_delta.workflows.scheduled.run_config import EditedFile
from neat_delta.workflows.scheduled.telling import several, tell_changes, tell_landed, tell_results
from neat_delta.workflows.send import ready, send
from neat_delta.workflows.undo import undo
from neat_delta.workflows.write import options_of_form, put_out

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.approval import Approval
    from neat_delta.base.progress import ProgressReporter
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.locations import Location, Place
    from neat_delta.update import Receipt
    from neat_delta.workflows.scheduled.report import RunReport
    from neat_delta.workflows.scheduled.run_config import RunConfig

REMAINING_FILE = "remaining.changes.jsonl"
PROBLEMS_FILE = "problems.xlsx"


def run(config: RunConfig, report: RunReport, progress: ProgressReporter, *, sending: bool = True) -> None:
    """Go the whole way, each step into the report's folder; without ``sending`` it ends with the written update.

    Nothing is raised for what a person can cause: it is in the report.
    """
    try:
        _Run(config, report, progress, sending).go()
        report.failure = None
    except NeatDeltaError as error:
        report.failure, report.failure_exit = str(error), exit_for(error)
    finally:
        report.end()


@dataclass(frozen=True)
class _Run:
    config: RunConfig
    report: RunReport
    progress: ProgressReporter
    sending: bool

    def go(self) -> None:
        settings = load_settings(self.config.catalogue) if self.config.catalogue else Settings()
        if self.sending and self.config.to is not None:
            self._finish_earlier(settings)
        if self.config.campaign is None:
            self._change(settings)
        else:
            self._go_on_with_campaign(settings)

    def _change(self, settings: Settings, about_to_send: Callable[[], None] = lambda: None) -> bool:
        """Bring the shop's items to what the files of the run say; whether that is done, with nothing left over.

        ``about_to_send`` is called before anything leaves for the shop.
        """
        live = self._fetch("live", self.config.live, "live-")
        earlier, plan = self._approved_earlier(live, settings)
        plan = plan or self._plan(live, settings)
        barred = self._barred(plan)
        approval = earlier.approval if earlier else self._approval_of(plan, settings)
        if not sum(self.report.items.values()):
            self.report.attention_reasons.extend(barred)
            return not barred
        if settings.send.approval is not None:
            if approval is None:
                self._wait_for_approval(plan, settings)
                return False
            # Whoever has approved just this has looked at it.
            barred = []
            self._note_approval(approval)
        self.report.attention_reasons.extend(barred)
        receipt = self._write(plan, settings, approval)
        if receipt is None:
            return False
        if barred:
            self.report.skip("send", "a person must look first")
            return False
        if self.sending and self.config.to is not None:
            about_to_send()
        sent = self._deliver(settings, self.report.folder / UPDATE_FOLDER)
        if earlier is not None and self.sending:
            earlier.mark_continued(self.report.folder)
        return sent

    def _deliver(self, settings: Settings, folder: Path) -> bool:
        """Send the written update of a folder and verify it, if that is wanted; whether it was sent."""
        if not self.sending:
            self.report.skip("send", "by --dry-run")
            return False
        if self.config.to is None:
            self.report.skip("send", "the run file has no destination (to)")
            return False
        self._send(settings, folder)
        self._verify(settings, folder)
        return True

    def _go_on_with_campaign(self, settings: Settings) -> None:
        """Do what is due now: start the campaign, end it, or wait."""
        config, report = self.config, self.report
        assert config.campaign is not None
        state = campaign.load_state(config)
        due = campaign.phase(config, state)
        begins, ends = (f"{moment:%Y-%m-%d %H:%M %Z}" for moment in (config.campaign.start, config.campaign.end))
        if state.is_sent and state.begins != campaign.load_times(config)[0]:
            report.note("campaign", f"it has started as set for {state.begins}; another start has no effect any more")
        if due == campaign.START:
            if self._start_campaign(settings, state):
                campaign.save_state(config, replace(campaign.load_state(config), started=campaign.utc_now()))
                report.note("campaign", f"started; it ends on {ends}")
        elif due == campaign.END:
            if self._put_back(settings, state):
                campaign.save_state(config, replace(state, ended=campaign.utc_now()))
        elif due == campaign.MISSED:
            report.note("campaign", f"it ended on {ends}")
            report.attention_reasons.append("the campaign was not started while its time was; nothing was sent")
            campaign.save_state(config, replace(state, ended=campaign.utc_now()))
        else:
            waits = {campaign.BEFORE: f"starts on {begins}", campaign.RUNNING: f"runs until {ends}"}
            report.note("campaign", waits.get(due, f"is over since {ends}"))

    def _start_campaign(self, settings: Settings, state: campaign.CampaignState) -> bool:
        """Send the start of a campaign, unless an earlier run has; whether it is sent.

        What has left already is not worked out again: a formula would work on its own result.
        """
        config, report = self.config, self.report
        left = [entry for entry in campaign.sent_updates(config, state) if campaign.may_be_in_the_shop(entry)]
        if not left:
            return self._change(settings, lambda: campaign.about_to_send(config, state, report.folder.name))
        for entry in left:
            wrong = needs_attention(entry)
            if entry.state != DONE or wrong:
                report.attention_reasons.append(
                    f"the campaign's start was sent before, but {wrong or 'not completely'} (history #{entry.entry}); "
                    "it is not sent again"
                )
        return True

    def _put_back(self, settings: Settings, state: campaign.CampaignState) -> bool:
        """Put back what the start of a campaign has sent and what still is as it was sent; whether that is done."""
        report, config = self.report, self.config
        entries = campaign.sent_updates(config, state)
        if not entries and state.started is None and state.history == path_text(config.history_file.resolve()):
            report.note("campaign", "its start has sent nothing, so nothing is put back")
            return True
        if not entries:
            report.attention_reasons.append(
                f"the history {config.history_file} does not have what the campaign's start has sent; nothing was put "
                f"back. Use the history of the start; or put the prices back, then delete {campaign.state_path(config)}"
            )
            return False
        live = self._fetch("live", config.live, "live-")
        done = True
        # What was sent last is put back first, as one does with things laid upon each other.
        for at, entry in enumerate(entries, start=1):
            folder = report.folder / f"{UPDATE_FOLDER}{f'-{at}' * (at > 1)}"
            if self._write_back(settings, campaign.changes_of(config, entry), live, folder):
                done = self._deliver(settings, folder) and done
        return done

    def _write_back(self, settings: Settings, changes: ChangeSet, live: Location, folder: Path) -> bool:
        """Write the update that puts back what still is as a change set has sent it; whether there is any."""
        report = self.report
        with report.step("put back", self.progress) as step:
            form = {name: getattr(self.config, name) for name in options_of(UpdateForm)}
            request = UndoRequest(changes=changes, live=None, fresh=live, folder=folder, settings=settings, **form)
            written = undo(request, self.progress)
            put_back = written.refreshed
            assert put_back is not None
            tell_changes(report, written.changes)
            since = len(put_back.conflicts) + put_back.missing
            stays = f"; {several(since, 'change')} of others since then stay" if since else ""
            step.message = f"{several(report.cells, 'cell')} of {several(sum(report.items.values()), 'item')}{stays}"
            self._tell_files(written.receipt)
        return written.receipt is not None

    def _finish_earlier(self, settings: Settings) -> None:
        """Go on with an update of an earlier run that was cut off on its way, before anything else is looked at."""
        history, place = History(self.config.history_file), destination_of(self._place())
        for entry in history.entries():
            folder = Path(entry.folder)
            is_of_this_run = folder.name.startswith(UPDATE_FOLDER) and is_own(self.config, folder.parent)
            if entry.state != "in progress" or entry.place != place.name or not is_of_this_run:
                continue
            if not Path(entry.folder).is_dir():
                message = (
                    f"the files of history #{entry.entry} are missing; this comparison finds what is still to change"
                )
                self.report.skip("earlier", message)
                continue
            with self.report.step("earlier", self.progress) as step:
                sending = ready(self._send_request(settings, Path(entry.folder), resume=True))
                self.report.sent = True
                send(sending, self.progress)
                step.message = f"the rest of history #{entry.entry} was sent"

    def _fetch(self, name: str, where: Location, prefix: str) -> Location:
        return fetch(self.report, self.progress, name, where, prefix)

    def _plan(self, live: Location, settings: Settings) -> Planned:
        """What the files of the run change, saved with its problems."""
        config = self.config
        files = config.edited_files
        if config.edited is not None:
            files = (EditedFile(config.edited, config.profile, config.set),)
        many = len(files) > 1
        edited = tuple(
            replace(
                one,
                file=self._fetch(
                    f"edited {at}" if many else "edited", one.file, f"edited-{at}-" if many else "edited-"
                ),
                origin=one.file if isinstance(one.file, Path) else None,
            )
            for at, one in enumerate(files, start=1)
        )
        changes = self._fetch("changes", config.changes, "given-") if config.changes else None
        name = "refresh" if changes else "compare" if edited else "formulas"
        with self.report.step(name, self.progress) as step:
            plan = planned(config, Inputs(live, edited, changes), settings, self.progress)
            step.message = self._save(plan)
        held = self.report.levels["error"]
        if held and config.limits.errors is None:
            self.report.attention_reasons.append(f"{several(held, 'error')}, not sent; see problems.xlsx")
        return plan

    def _save(self, plan: Planned) -> str:
        """Save what would change, with its problems, and write down what that is; returns it in words."""
        report, path = self.report, self.report.folder / CHANGES_FILE
        problems = report.folder / PROBLEMS_FILE if len(plan.changes.findings) else None
        with new_together(path, problems):
            if problems is not None:
                write_atomic(problems, problems_workbook(plan.changes, plan.rows, as_edited=plan.as_edited))
            save_changes(plan.changes, path)
        tell_changes(report, plan.changes)
        report.suggest("preview", str(path))
        total, held = sum(report.items.values()), report.levels["error"]
        return f"{several(total, 'item')}, {several(report.cells, 'cell')}; {several(held, 'error')}, not sent"

    def _approved_earlier(self, live: Location, settings: Settings) -> tuple[Approved | None, Planned | None]:
        """What was approved since an earlier run has stopped to wait for it, and what of it is still to be sent.

        If the shop has changed any of its cells, it is not what was approved, and the files are compared again.
        """
        approved = approved_meanwhile(self.config, settings) if settings.send.approval is not None else None
        if approved is None:
            return None, None
        with self.report.step("approved", self.progress) as step:
            plan = refreshed(approved.changes, live, self.config, settings, self.progress)
            if plan.changes.is_empty:
                step.message = f"the shop has all of {approved.folder.name} already"
                approved.mark_continued(self.report.folder)
                return None, None
            if why_not(plan.changes, settings.send, approved.approval) is not None:
                step.message = f"the shop has changed since {approved.folder.name} was approved; compared again"
                return None, None
            step.message = f"going on with {approved.folder.name}: {self._save(plan)}"
            return approved, plan

    def _approval_of(self, plan: Planned, settings: Settings) -> Approval | None:
        """The approval next to a saved change set that is sent; an approval that does not hold is named."""
        changes = self.config.changes
        beside = approval_path(changes) if isinstance(changes, Path) else None
        if settings.send.approval is None or beside is None or not beside.is_file():
            return None
        approval = load_approval(beside)
        if why := why_not(plan.changes, settings.send, approval):
            self.report.attention_reasons.append(why)
            return None
        return approval

    def _wait_for_approval(self, plan: Planned, settings: Settings) -> None:
        """Leave the change set for a person to approve; the next run goes on with it."""
        report, path = self.report, self.report.folder / CHANGES_FILE
        (report.folder / WAITING_FILE).write_text(f"{report.cells} cells\n", encoding="utf-8")
        report.waiting = True
        report.attention_reasons.extend(why_none_holds(self.config, settings))
        maker = f" (another person than {plan.changes.head.makers})" if settings.send.approval == "other" else ""
        report.attention_reasons.append(f"waiting for approval{maker}; nothing was sent")
        report.suggest("approve", str(path), "--by", "NAME")
        report.skip("approval", "not approved yet")

    def _note_approval(self, approval: Approval) -> None:
        self.report.approved_by, self.report.approved = approval.approved_by, approval.approved

    def _barred(self, plan: Planned) -> list[str]:
        """Why nothing may be sent before a person has looked."""
        changed, errors = sum(self.report.items.values()), self.report.levels["error"]
        return over_limits(self.config.limits, plan, changed, errors) + plan.objections

    def _write(self, plan: Planned, settings: Settings, approval: Approval | None) -> Receipt | None:
        options = replace(options_of_form(self.config, overwrite=False, as_of=None), approval=approval)
        folder, strict = self.report.folder / UPDATE_FOLDER, self.config.strict
        with self.report.step("update", self.progress) as step:
            receipt = put_out(plan.changes, plan.live, folder, settings, options, self.progress, strict=strict)
            if strict and plan.changes.blocking_count():
                self.report.attention_reasons.append("there are errors, so nothing was written (strict)")
            step.message = self._tell_files(receipt)
        return receipt

    def _tell_files(self, receipt: Receipt | None) -> str:
        if receipt is None:
            return "nothing to write"
        self.report.files = receipt.as_dict()["files"]
        rows = sum(written.rows for written in receipt.files)
        return f"{several(len(receipt.files), 'file')}, {several(rows, 'row')}, proved; undo files included"

    def _place(self) -> Place:
        assert self.config.to is not None
        return self.config.to

    def _send_request(self, settings: Settings, folder: Path, *, resume: bool = False) -> SendRequest:
        history = self.config.history_file
        return SendRequest(folder=folder, to=self._place(), settings=settings, history=history, resume=resume)

    def _send(self, settings: Settings, folder: Path) -> None:
        report, history = self.report, History(self.config.history_file)
        sending = ready(self._send_request(settings, folder))
        with report.step("send", self.progress) as step:
            try:
                entry = send(sending, self.progress, self._note_departure)
            except DeliveryError:
                report.sent = any(one.has_left for one in history.entries() if Path(one.folder) == folder.resolve())
                raise
            report.entry = entry.entry
            tell_results(report, entry)
            wrong = needs_attention(entry)
            step.message = f"{several(len(entry.files), 'file')} to {entry.place}, history #{entry.entry}"
            if wrong:
                report.attention_reasons.append(f"the shop's answer: {wrong}")
                report.suggest("history", str(entry.entry), "--history", str(self.config.history_file))

    def _note_departure(self) -> None:
        self.report.sent = True

    def _verify(self, settings: Settings, folder: Path) -> None:
        """Fetch the export made after the import, again and again until all has arrived or patience ends."""
        report, fresh = self.report, self.config.fresh
        if fresh is None:
            report.skip("verify", "the run file has no export to verify with (fresh)")
            return
        sent = load_changes(folder / CHANGESET_FILE)
        for _ in range(self.config.waiting.tries):
            self.progress.step("waiting for the shop")
            time.sleep(self.config.waiting.wait)
            kept = self._fetch("fresh", fresh, "fresh-")
            with report.step("verify", self.progress) as step:
                export = read_table(kept, self.progress, settings.export)
                seen = verify(sent, export.renamed(sent.head.names()), settings)
                tell_landed(report, seen)
                step.message = f"{report.applied.get(APPLIED, 0):,} of {several(len(seen.changes), 'change')} applied"
            if seen.done:
                return
        save_changes(seen.remaining, report.folder / REMAINING_FILE)
        report.attention_reasons.append(
            f"not applied as sent: {several(len(seen.changes) - seen.count(APPLIED), 'change')}"
        )
        report.suggest("preview", str(report.folder / REMAINING_FILE))

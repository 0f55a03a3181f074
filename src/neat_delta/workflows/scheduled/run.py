"""One run: fetch, compare, check, write, send, verify; whatever happens, it is written down in the report."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.approval import approval_path, load_approval
from neat_delta.approval.gate import why_not
from neat_delta.base.errors import NeatDeltaError
from neat_delta.base.exit_codes import exit_for
from neat_delta.base.options import options_of
from neat_delta.base.path_text import path_text
from neat_delta.changeset.changeset import with_destination
from neat_delta.changeset.serialization import save_changes
from neat_delta.delivery.answers import may_be_in_the_shop, needs_attention
from neat_delta.delivery.destinations import destination_of
from neat_delta.delivery.history import DONE, History
from neat_delta.files.atomic_write import new_together, write_atomic
from neat_delta.tables.settings import Settings
from neat_delta.tables.settings_file import load_settings
from neat_delta.workbooks.problems import problems_workbook
from neat_delta.workflows.option_groups import UpdateForm
from neat_delta.workflows.permission import with_rule_of
from neat_delta.workflows.requests import UndoRequest
from neat_delta.workflows.scheduled import campaign
from neat_delta.workflows.scheduled.campaign import UPDATE_FOLDER
from neat_delta.workflows.scheduled.delivering import Delivery
from neat_delta.workflows.scheduled.earlier_runs import (
    CHANGES_FILE,
    WAITING_FILE,
    Approved,
    approved_meanwhile,
    why_none_holds,
)
from neat_delta.workflows.scheduled.fetching import fetch
from neat_delta.workflows.scheduled.planning import Inputs, Planned, over_limits, planned, refreshed
from neat_delta.workflows.scheduled.run_config import EditedFile
from neat_delta.workflows.scheduled.telling import several, tell_changes
from neat_delta.workflows.undo import undo
from neat_delta.workflows.write import options_of_form, put_out

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.approval import Approval
    from neat_delta.base.progress import ProgressReporter
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.history import Entry
    from neat_delta.locations import Location
    from neat_delta.update import Receipt
    from neat_delta.workflows.scheduled.report import RunReport
    from neat_delta.workflows.scheduled.run_config import RunConfig

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
        if self.config.to is not None:
            settings = with_rule_of(destination_of(self.config.to).name, History(self.config.history_file), settings)
        if self.sending and self.config.to is not None:
            self._delivery(settings).finish_earlier()
        if self.config.campaign is None:
            self._change(settings)
        else:
            self._go_on_with_campaign(settings)

    def _change(self, settings: Settings, starts: campaign.CampaignState | None = None) -> bool:
        """Bring the shop's items to what the files of the run say; whether that is done, with nothing left over.

        ``starts`` is the state of the campaign that starts by that, if one does.
        """
        live = self._fetch("live", self.config.live, "live-")
        earlier, plan = self._approved_earlier(live, settings)
        plan = plan or self._plan(live, settings)
        barred = self._barred(plan)
        approval = earlier.approval if earlier else self._approval_of(plan, settings)
        if not sum(self.report.items.values()):
            self.report.attention_reasons.extend(barred)
            return not barred
        if settings.send.rule is not None:
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
        update = self.report.folder / UPDATE_FOLDER
        leaving: Callable[[], None] = lambda: None  # noqa: E731
        if starts is not None and self.sending and self.config.to is not None:
            campaign.about_to_send(self.config, starts, self.report.folder.name)
            leaving = partial(campaign.note_left, self.config, update)
        sent = self._deliver(settings, update, leaving=leaving)
        if earlier is not None and self.sending:
            earlier.mark_continued(self.report.folder)
        return sent

    def _deliver(
        self, settings: Settings, folder: Path, ends: Entry | None = None, leaving: Callable[[], None] = lambda: None
    ) -> bool:
        """Send the written update of a folder and verify it, if that is wanted; whether it was sent."""
        if not self.sending:
            self.report.skip("send", "by --dry-run")
            return False
        return self._delivery(settings).deliver(folder, ends, leaving)

    def _delivery(self, settings: Settings) -> Delivery:
        return Delivery(self.config, self.report, self.progress, settings)

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
        entries = campaign.sent_updates(config, state)
        if campaign.is_forgotten(state, entries):
            report.attention_reasons.append(self._forgotten(state, "nothing was sent"))
            return False
        left = [entry for entry in entries if may_be_in_the_shop(entry)]
        if not left:
            return self._change(settings, state)
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
        if campaign.is_forgotten(state, entries) or (not entries and not self._has_sent_nothing(state)):
            report.attention_reasons.append(self._forgotten(state, "nothing was put back"))
            return False
        if not entries:
            report.note("campaign", "its start has sent nothing, so nothing is put back")
            return True
        live = self._fetch("live", config.live, "live-")
        done = True
        # What was sent last is put back first, as one does with things laid upon each other.
        for at, entry in enumerate(entries, start=1):
            folder = report.folder / f"{UPDATE_FOLDER}{f'-{at}' * (at > 1)}"
            if self._write_back(settings, campaign.changes_of(config, entry), live, folder):
                done = self._deliver(settings, folder, entry) and done
        return done

    def _has_sent_nothing(self, state: campaign.CampaignState) -> bool:
        """Whether the start of a campaign has sent nothing, as the very history says in which it would be."""
        history = path_text(self.config.history_file.resolve())
        return state.started is None and not state.left and state.history == history

    def _forgotten(self, state: campaign.CampaignState, what: str) -> str:
        """That a history does not know what the start of a campaign has sent, what was not done, and what to do."""
        return (
            f"the history {self.config.history_file} does not have what the campaign's start has sent; {what}. It is "
            f"another history, or an older copy: use that of the start, {state.history}; or put the prices back by "
            f"hand, then delete {campaign.state_path(self.config)}"
        )

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
            # (A saved change set says itself for which place it was made.)
            if config.to is not None and changes is None:
                place = destination_of(config.to).name
                plan = replace(plan, changes=with_destination(plan.changes, settings.imports, place))
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
        approved = approved_meanwhile(self.config, settings) if settings.send.rule is not None else None
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
        if settings.send.rule is None or beside is None or not beside.is_file():
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
        maker = f" (another person than {plan.changes.head.makers})" if settings.send.rule == "other" else ""
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

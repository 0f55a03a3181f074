"""One run: fetch, compare, check, write, send, settle; whatever happens, it is written down in the report."""

from __future__ import annotations

import re
import shutil
import time
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.analysis.metrics import totals_by_field
from neat_delta.atomic_write import write_atomic
from neat_delta.changeset.changeset import ADD, CHANGE, RECODE, REMOVE
from neat_delta.changeset.serialization import findings_as_dicts, load_changes, save_changes
from neat_delta.database.address import DatabaseTable
from neat_delta.delivery.destinations import destination_of
from neat_delta.delivery.history import History
from neat_delta.delivery.send import load_update, send
from neat_delta.diff.compare import CompareOptions
from neat_delta.diff.formulas import parse_formula
from neat_delta.errors import InvalidOption, NeatDeltaError
from neat_delta.exit_codes import exit_for
from neat_delta.locations import FileSet
from neat_delta.locations.listing import Member, members_of
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.prefetch import read_bytes
from neat_delta.reading import read_table
from neat_delta.reconcile.refresh import require_fresh
from neat_delta.reconcile.three_way import APPLIED
from neat_delta.reconcile.verify import verify
from neat_delta.tables.config_loader import load_settings
from neat_delta.tables.line_names import with_own_line
from neat_delta.tables.settings import Settings, SupplierProfile
from neat_delta.update.receipt import CHANGESET_FILE
from neat_delta.workflows.base import find_base
from neat_delta.workflows.inputs import read_inputs, read_live
from neat_delta.workflows.plan import PlanOptions, context_of, plan_adjustment, plan_comparison
from neat_delta.workflows.publish import publish
from neat_delta.workflows.scheduled.report import SOME, RunReport
from neat_delta.workflows.targets import Targets

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.history import Entry
    from neat_delta.diff.compare import CompareResult
    from neat_delta.locations import Location, Place
    from neat_delta.progress import ProgressReporter
    from neat_delta.reconcile.verify import VerifyResult
    from neat_delta.workflows.scheduled.run_config import RunConfig

CHANGES_FILE, REMAINING_FILE, UPDATE_FOLDER = "changes.jsonl", "remaining.changes.jsonl", "update"
PROBLEMS_FILE = "problems.xlsx"
NOT_TAKEN = ("failed", "skipped")


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


def profile_of(config: RunConfig, settings: Settings) -> SupplierProfile:
    """The supplier profile of a run, if it has one.

    Raises:
        InvalidOption: there is none of this name.
    """
    if config.profile is None:
        return SupplierProfile()
    if config.profile not in settings.profiles:
        saved = ", ".join(settings.profiles) or "none"
        raise InvalidOption(
            f"no supplier profile {config.profile!r} in {settings.path or 'catalogue.toml'}",
            file=config.path,
            hint=f"Saved profiles: {saved}.",
        )
    return settings.profiles[config.profile]


@dataclass(frozen=True)
class _Run:
    config: RunConfig
    report: RunReport
    progress: ProgressReporter
    sending: bool

    def go(self) -> None:
        settings = load_settings(self.config.catalogue) if self.config.catalogue else Settings()
        profile = profile_of(self.config, settings)
        if self.sending and self.config.to is not None:
            self._finish_earlier()
        live = self._fetch("live", self.config.live, "live-")
        edited = self._fetch("edited", self.config.edited, "edited-") if self.config.edited else None
        result = self._compare(live, edited, settings, profile)
        barred = self._barred(result)
        self.report.attention_reasons.extend(barred)
        if not sum(self.report.items.values()):
            return
        self._write(result, settings)
        if not self.sending:
            self.report.skip("send", "skipped (--dry-run)")
        elif self.config.to is None:
            self.report.skip("send", "the run file has no destination (to)")
        elif barred:
            self.report.skip("send", "waiting for your approval")
        else:
            self._send()
            self._settle(settings)

    def _finish_earlier(self) -> None:
        """Go on with an update of an earlier run that was cut off on its way, before anything else is looked at."""
        history, place = History(self.config.history_file), destination_of(self._place(), self.progress.step)
        for entry in history.entries():
            live = self._is_own(Path(entry.folder))
            if entry.state != "in progress" or entry.place != place.name or not live:
                continue
            if not Path(entry.folder).is_dir():
                message = (
                    f"the files of history #{entry.entry} are missing; this comparison finds what is still to change"
                )
                self.report.skip("earlier", message)
                continue
            with self.report.step("earlier", self.progress) as step:
                update = load_update(Path(entry.folder))
                self.report.sent = True
                send(update, place, history, resume=True, progress=self.progress)
                step.message = f"the rest of history #{entry.entry} was sent"

    def _is_own(self, update: Path) -> bool:
        """Whether an update was written by an earlier run of this very file; others may share its folder."""
        own = re.compile(rf"{re.escape(self.config.name)}-[0-9]{{4}}-[0-9]{{2}}-[0-9]{{2}}T[0-9]{{6}}Z(-[0-9]+)?")
        return update.parent.parent == self.config.folder.resolve() and bool(own.fullmatch(update.parent.name))

    def _fetch(self, name: str, where: Location, prefix: str) -> Location:
        """Keep a file, or several, as they are now, for everything that follows and for whoever looks into it later."""
        with self.report.step(name, self.progress) as step:
            members = members_of(where) if isinstance(where, FileSet) else [Member(where, where.name)]
            folder = self.report.folder if len(members) == 1 else self.report.folder / name
            folder.mkdir(exist_ok=True)
            kept, size = [], 0
            for at, member in enumerate(members, start=1):
                # (Files of several folders may share a name.)
                own = f"{member.location.name}{'.csv' * isinstance(member.location, DatabaseTable)}"
                plain = own if member.name == member.location.name else f"{at}-{own}"
                kept.append(folder / (prefix + plain))
                data = read_bytes(member.location)
                size += len(data)
                write_atomic(kept[-1], data, replace=True)
                if isinstance(member.location, Path):
                    shutil.copystat(member.location, kept[-1])  # its age counts
            what = str(where) if len(members) == 1 else f"{where} ({len(members)} files)"
            if isinstance(where, FileSet) and len(members) == 1:
                what = f"{where} ({members[0].name})"
            step.message = f"{what}, {size:,} bytes"
            return kept[0] if len(kept) == 1 else FileSet(str(where), tuple(kept))

    def _compare(
        self, live: Location, edited: Location | None, settings: Settings, profile: SupplierProfile
    ) -> CompareResult:
        report, config = self.report, self.config
        with report.step("compare" if edited else "formulas", self.progress) as step:
            compare = CompareOptions(
                repair_keys=config.repair_keys,
                add_new=config.add_new,
                delete_at_most=config.delete_missing,
                where=config.where,
                items=config.items,
                clear_blanks=None if config.blanks is None else config.blanks == "clear",
                settings=settings,
            )
            result = self._planned(live, edited, settings, profile, compare)
            problems = report.folder / PROBLEMS_FILE if len(result.changes.findings) else None
            publish(result, settings, Targets(report.folder / CHANGES_FILE, problems_file=problems), self.progress)
            _tell_changes(report, result.changes)
            total = sum(report.items.values())
            held = report.levels["error"]
            step.message = (
                f"{_several(total, 'item')}, {_several(report.cells, 'cell')}; {_several(held, 'error')}, not sent"
            )
            report.next_steps.append(f"neat-delta preview {report.folder / CHANGES_FILE}")
        if held and self.config.limits.errors is None:
            report.attention_reasons.append(f"{_several(held, 'error')}, not sent; see problems.xlsx")
        return result

    def _planned(
        self,
        live: Location,
        edited: Location | None,
        settings: Settings,
        profile: SupplierProfile,
        compare: CompareOptions,
    ) -> CompareResult:
        """What the edited file changes, or what formulas change without one."""
        config = self.config
        if edited is None:
            own = read_live(live, settings, self.progress)
            require_fresh(own.source.made, config.live, settings)
            formulas = [parse_formula(text) for text in config.formulas]
            context, options = context_of(own, settings), PlanOptions(compare)
            return plan_adjustment(context, formulas, config.where, config.items, options, self.progress)[0]
        profile = replace(profile, rules=(*profile.rules, *config.formulas))
        own, others = read_inputs(live, edited, settings, profile, self.progress)
        require_fresh(own.source.made, config.live, settings)
        # Only what is sure counts where nobody looks: the values that a sheet itself carries.
        options = PlanOptions(compare, profile, base=find_base(own, others, settings, by_content=False))
        return plan_comparison(own, others, options, self.progress)[0]

    def _barred(self, result: CompareResult) -> list[str]:
        """Why nothing may be sent before a person has looked."""
        limits, changed, live = self.config.limits, sum(self.report.items.values()), len(result.live)
        share = None if limits.share is None else int(limits.share * live)
        unknown = 0 if self.config.add_new else result.changes.counts["new"]
        described = (
            (limits.changed, changed, "items would change"),
            (share, changed, f"of {live:,} items would change"),
            (limits.errors, self.report.levels["error"], "errors, not sent"),
            (limits.unknown, unknown, "rows have a SKU that is not in the shop"),
        )
        over = [
            f"{number:,} {what}; the limit of the run file is {most:,}: nothing was sent"
            for most, number, what in described
            if most is not None and number > most
        ]
        counts = result.changes.counts
        if (
            len(result.edited)
            and not counts["changed"] + counts["unchanged"] + counts["rejected"] + counts["duplicate"]
        ):
            over.append("no SKU of the edited file is in the shop. Wrong file, or wrong column?")
        return over + [f"supplier file layout changed: {message}; nothing was sent" for message in result.profile_drift]

    def _write(self, result: CompareResult, settings: Settings) -> None:
        targets = Targets(
            update_folder=self.report.folder / UPDATE_FOLDER,
            strategy=self.config.strategy,
            output_format=self.config.output_format,
        )
        with self.report.step("update", self.progress) as step:
            receipt = publish(result, settings, targets, self.progress)
            if receipt is not None:
                self.report.files = receipt.as_dict()["files"]
                rows = sum(written.rows for written in receipt.files)
                step.message = (
                    f"{_several(len(receipt.files), 'file')}, {_several(rows, 'row')}, proved; undo files included"
                )

    def _place(self) -> Place:
        assert self.config.to is not None
        return self.config.to

    def _send(self) -> None:
        report, history = self.report, History(self.config.history_file)
        update = load_update(report.folder / UPDATE_FOLDER)
        with report.step("send", self.progress) as step:
            place = destination_of(self._place(), self.progress.step)
            entry = send(update, place, history, progress=self.progress, leaving=self._note_departure)
            report.entry = entry.entry
            _tell_results(report, entry)
            bad = sum(report.results.get(result, 0) for result in NOT_TAKEN)
            step.message = f"{_several(len(entry.files), 'file')} to {entry.place}, history #{entry.entry}"
            if bad:
                report.attention_reasons.append(f"the shop did not accept {_several(bad, 'row')}")
                report.next_steps.append(f"neat-delta history {entry.entry} --history {self.config.history_file}")

    def _note_departure(self) -> None:
        self.report.sent = True

    def _settle(self, settings: Settings) -> None:
        """Fetch the export made after the import, again and again until all has arrived or patience ends."""
        report, fresh = self.report, self.config.fresh
        if fresh is None:
            report.skip("verify", "the run file has no export to verify with (fresh)")
            return
        sent = load_changes(report.folder / UPDATE_FOLDER / CHANGESET_FILE)
        for _ in range(self.config.waiting.tries):
            self.progress.step("waiting for the shop")
            time.sleep(self.config.waiting.wait)
            kept = self._fetch("fresh", fresh, "fresh-")
            with report.step("verify", self.progress) as step:
                export = read_table(kept, self.progress, settings.export)
                result = verify(sent, export.renamed(sent.head.names()), settings)
                _tell_landed(report, result)
                step.message = (
                    f"{report.applied.get(APPLIED, 0):,} of {_several(len(result.changes), 'change')} applied"
                )
            if result.done:
                return
        save_changes(result.remaining, report.folder / REMAINING_FILE)
        report.attention_reasons.append(
            f"not applied as sent: {_several(len(result.changes) - result.count(APPLIED), 'change')}"
        )
        report.next_steps.append(f"neat-delta preview {report.folder / REMAINING_FILE}")


def _tell_changes(report: RunReport, changes: ChangeSet) -> None:
    report.counts = dict(changes.counts)
    report.items = {action: len(changes.keys_with_action(action)) for action in (CHANGE, RECODE, ADD, REMOVE)}
    report.cells = len(changes.cells)
    report.fields = totals_by_field(changes).to_dicts()
    names = changes.items.select("key", "name")
    some = changes.cells.head(SOME).join(names, on="key", how="left", maintain_order="left")
    report.changes = [_with_item(row) for row in some.to_dicts()]
    report.levels = {level: len(changes.findings.filter(level=level)) for level in ("error", "warning", "note")}
    worst = changes.findings.filter(pl.col("level") == "error").head(SOME)
    parts = changes.head.edited.parts
    report.findings = [_with_item(with_own_line(row, parts)) for row in findings_as_dicts(worst)]


def _tell_results(report: RunReport, entry: Entry) -> None:
    rows = [row for file in entry.files for row in file.results]
    for row in rows:
        report.results[row["result"]] = report.results.get(row["result"], 0) + 1
    bad = [row for row in rows if row["result"] in NOT_TAKEN]
    report.rejected = [{name: row[name] for name in ("code", "result", "reason")} for row in bad[:SOME]]


def _tell_landed(report: RunReport, result: VerifyResult) -> None:
    report.applied = dict(result.changes["state"].value_counts(sort=True).iter_rows())
    some = result.changes.filter(pl.col("state") != APPLIED).head(SOME)
    report.not_applied = [_with_item(row) for row in some.to_dicts()]


def _with_item(row: dict[str, Any]) -> dict[str, Any]:
    """A row with its key as people read it."""
    key = row.pop("key")
    return {"item": key.replace(KEY_SEPARATOR, " · ") if key else None} | row


def _several(number: int, what: str) -> str:
    return f"{number:,} {what}" if number == 1 else f"{number:,} {what}s"

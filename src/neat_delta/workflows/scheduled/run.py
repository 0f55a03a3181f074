"""One run: fetch, compare, check, write, send, settle; whatever happens, it is written down in the report."""

from __future__ import annotations

import re
import shutil
import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.analysis.metrics import by_field
from neat_delta.atomic_write import write_atomic
from neat_delta.changeset.changeset import ADD, CHANGE, RECODE, REMOVE
from neat_delta.changeset.serialization import load_changes, save_changes
from neat_delta.checks import try_out
from neat_delta.delivery.destinations import place_of
from neat_delta.delivery.journal import Journal
from neat_delta.delivery.send import load_update, send
from neat_delta.diff.compare import Options, held_back
from neat_delta.diff.supplier_file import LIST_CHANGED, compare_list
from neat_delta.errors import NeatDeltaError, WrongChoice
from neat_delta.matching import JOINT
from neat_delta.prefetch import read_bytes
from neat_delta.reading import Told, read_both, read_catalogue
from neat_delta.reconcile.refresh import insist_on_young
from neat_delta.reconcile.three_way import LANDED
from neat_delta.reconcile.verify import settle
from neat_delta.tables.config_loader import load_settings
from neat_delta.tables.settings import ListSettings, Settings
from neat_delta.update import write_update
from neat_delta.update.problems_workbook import findings_book
from neat_delta.update.write import KEPT
from neat_delta.workflows.scheduled.report import SOME, Report

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.journal import Entry
    from neat_delta.diff.compare import Comparison
    from neat_delta.progress import Voice
    from neat_delta.reconcile.verify import Settled
    from neat_delta.remote import Where
    from neat_delta.workflows.scheduled.run_config import RunFile

FOUND, LEFT, UPDATE = "found.changes.jsonl", "left.changes.jsonl", "update"
NOT_TAKEN = ("failed", "skipped")


def run(told: RunFile, report: Report, voice: Voice, *, sending: bool = True) -> None:
    """Go the whole way, each step into the report's folder; without ``sending`` it ends with the written update.

    Nothing is raised for what a person can cause: it is in the report.
    """
    try:
        _Run(told, report, voice, sending).go()
        report.failure = None
    except NeatDeltaError as error:
        report.failure = str(error)
    finally:
        report.end()


@dataclass(frozen=True)
class _Run:
    told: RunFile
    report: Report
    voice: Voice
    sending: bool

    def go(self) -> None:
        settled = load_settings(self.told.catalogue) if self.told.catalogue else Settings()
        listed = self._list(settled)
        if self.sending and self.told.to is not None:
            self._finish_earlier()
        live = self._fetch("live", self.told.live, "live-")
        edited = self._fetch("edited", self.told.edited, "edited-")
        seen = self._compare(live, edited, settled, listed)
        barred = self._barred(seen)
        self.report.needs.extend(barred)
        if not sum(self.report.items.values()):
            return
        self._write(seen, settled)
        if not self.sending:
            self.report.left_out("send", "this run was told not to")
        elif self.told.to is None:
            self.report.left_out("send", "the run's file names no place (to)")
        elif barred:
            self.report.left_out("send", "a person has to look first")
        else:
            self._send()
            self._settle(settled)

    def _list(self, settled: Settings) -> ListSettings:
        if self.told.list is None:
            return ListSettings()
        if self.told.list not in settled.lists:
            saved = ", ".join(settled.lists) or "none"
            raise WrongChoice(
                f"no list {self.told.list!r} is saved in {settled.path or 'any catalogue.toml'}",
                file=self.told.path,
                remedy=f"Saved lists: {saved}.",
            )
        return settled.lists[self.told.list]

    def _finish_earlier(self) -> None:
        """Go on with an update of an earlier run that was cut off on its way, before anything else is looked at."""
        journal, place = Journal(self.told.journal), place_of(self._place(), self.voice.step)
        for entry in journal.entries():
            ours = self._is_own(Path(entry.folder))
            if entry.state != "under way" or entry.place != place.name or not ours:
                continue
            if not Path(entry.folder).is_dir():
                said = f"the files of journal entry {entry.entry} are gone; comparing tells what it has not changed"
                self.report.left_out("earlier", said)
                continue
            with self.report.step("earlier", self.voice) as step:
                update = load_update(Path(entry.folder))
                self.report.sent = True
                send(update, place, journal, resume=True, voice=self.voice)
                step.say = f"the rest of journal entry {entry.entry} has been sent"

    def _is_own(self, update: Path) -> bool:
        """Whether an update was written by an earlier run of this very file; others may share its folder."""
        own = re.compile(rf"{re.escape(self.told.name)}-[0-9]{{4}}-[0-9]{{2}}-[0-9]{{2}}T[0-9]{{6}}Z(-[0-9]+)?")
        return update.parent.parent == self.told.folder.resolve() and bool(own.fullmatch(update.parent.name))

    def _fetch(self, name: str, where: Where, prefix: str) -> Path:
        """Keep a file as it is now, for everything that follows and for whoever looks into it later."""
        with self.report.step(name, self.voice) as step:
            kept = self.report.folder / f"{prefix}{where.name}"
            data = read_bytes(where)
            write_atomic(kept, data, replace=True)
            if isinstance(where, Path):
                shutil.copystat(where, kept)  # its age counts
            step.say = f"{where}, {len(data):,} bytes"
            return kept

    def _compare(self, live: Path, edited: Path, settled: Settings, listed: ListSettings) -> Comparison:
        report = self.report
        with report.step("compare", self.voice) as step:
            exported = Told.as_exported(settled.export)
            form = Told.as_exported(listed.form)
            ours, theirs = read_both(live, edited, self.voice, form, exported=exported)
            insist_on_young(ours.source.made, self.told.live, settled)
            options = Options(rescue=self.told.rescue, add=self.told.add, remove=self.told.remove, settled=settled)
            seen, _ = compare_list(ours.renamed(settled.names()), theirs, listed, options, self.voice)
            seen = held_back(seen, try_out(seen.changes, seen.live, settled))
            save_changes(seen.changes, report.folder / FOUND)
            _tell_changes(report, seen.changes)
            if len(seen.changes.findings):
                book = findings_book(seen.changes, seen.as_read or seen.edited, as_edited=True)
                write_atomic(report.folder / "findings.xlsx", book)
            total = sum(report.items.values())
            held = report.levels["stop"]
            step.say = (
                f"{_several(total, 'item')}, {_several(report.cells, 'cell')}; held back by {_several(held, 'finding')}"
            )
            report.next.append(f"neat-delta preview {report.folder / FOUND}")
        if held and self.told.limits.held_back is None:
            report.needs.append(f"something is held back by {_several(held, 'finding')}; see findings.xlsx")
        return seen

    def _barred(self, seen: Comparison) -> list[str]:
        """Why nothing may be sent before a person has looked."""
        limits, changed, live = self.told.limits, sum(self.report.items.values()), len(seen.live)
        share = None if limits.share is None else int(limits.share * live)
        unknown = 0 if self.told.add else seen.changes.head.counts["new"]
        told = (
            (limits.changed, changed, "items would change"),
            (share, changed, f"of {live:,} items would change"),
            (limits.held_back, self.report.levels["stop"], "findings hold something back"),
            (limits.unknown, unknown, "rows have a code that the shop does not know"),
        )
        over = [
            f"{number:,} {what}, and the run's file allows {most:,}: nothing was sent"
            for most, number, what in told
            if most is not None and number > most
        ]
        counts = seen.changes.head.counts
        if len(seen.edited) and not counts["changed"] + counts["same"] + counts["refused"] + counts["repeated"]:
            over.append("no row of the edited file is an item of the shop: is it the right file, and the right field?")
        drifted = seen.changes.findings.filter(check=LIST_CHANGED)["say"]
        return over + [f"the list is another than last time: {say}; nothing was sent" for say in drifted]

    def _write(self, seen: Comparison, settled: Settings) -> None:
        folder = self.report.folder / UPDATE
        with self.report.step("update", self.voice) as step:
            receipt = write_update(
                seen.changes, seen.live, folder, settled, way=self.told.pack, shape=self.told.form, voice=self.voice
            )
            if receipt is not None:
                self.report.files = receipt.as_dict()["files"]
                rows = sum(written.rows for written in receipt.files)
                step.say = f"{_several(len(receipt.files), 'file')}, {_several(rows, 'row')}, proved; undo lies beside"

    def _place(self) -> Where:
        assert self.told.to is not None
        return self.told.to

    def _send(self) -> None:
        report, journal = self.report, Journal(self.told.journal)
        update = load_update(report.folder / UPDATE)
        with report.step("send", self.voice) as step:
            report.sent = True
            entry = send(update, place_of(self._place(), self.voice.step), journal, voice=self.voice)
            report.entry = entry.entry
            _tell_results(report, entry)
            bad = sum(report.results.get(result, 0) for result in NOT_TAKEN)
            step.say = f"{_several(len(entry.files), 'file')} to {entry.place}, journal entry {entry.entry}"
            if bad:
                report.needs.append(f"the shop did not take {_several(bad, 'row')}")
                report.next.append(f"neat-delta journal {entry.entry} --journal {self.told.journal}")

    def _settle(self, settled: Settings) -> None:
        """Fetch the export made after the import, again and again until all has arrived or patience ends."""
        report, fresh = self.report, self.told.fresh
        if fresh is None:
            report.left_out("settle", "the run's file names no export to settle against (fresh)")
            return
        sent = load_changes(report.folder / UPDATE / KEPT)
        for _ in range(self.told.tries):
            self.voice.step("waiting for the shop")
            time.sleep(self.told.wait)
            kept = self._fetch("fresh", fresh, "fresh-")
            with report.step("settle", self.voice) as step:
                export = read_catalogue(kept, self.voice, Told.as_exported(settled.export))
                seen = settle(sent, export.renamed(sent.head.names()), settled)
                _tell_landed(report, seen)
                step.say = f"{report.landed.get(LANDED, 0):,} of {_several(len(seen.changes), 'change')} landed"
            if seen.done:
                return
        save_changes(seen.remaining, report.folder / LEFT)
        report.needs.append(f"not landed as sent: {_several(len(seen.changes) - seen.count(LANDED), 'change')}")
        report.next.append(f"neat-delta preview {report.folder / LEFT}")


def _tell_changes(report: Report, changes: ChangeSet) -> None:
    report.counts = dict(changes.head.counts)
    report.items = {does: len(changes.keys_to(does)) for does in (CHANGE, RECODE, ADD, REMOVE)}
    report.cells = len(changes.cells)
    report.fields = by_field(changes).to_dicts()
    names = changes.items.select("key", "name")
    some = changes.cells.head(SOME).join(names, on="key", how="left", maintain_order="left")
    report.changes = [_with_item(row) for row in some.to_dicts()]
    report.levels = {level: len(changes.findings.filter(level=level)) for level in ("stop", "warn", "note")}
    worst = changes.findings.filter(pl.col("level") == "stop").head(SOME)
    report.findings = [_with_item(row) for row in worst.to_dicts()]


def _tell_results(report: Report, entry: Entry) -> None:
    rows = [row for file in entry.files for row in file.results]
    for row in rows:
        report.results[row["result"]] = report.results.get(row["result"], 0) + 1
    bad = [row for row in rows if row["result"] in NOT_TAKEN]
    report.not_taken = [{name: row[name] for name in ("code", "result", "reason")} for row in bad[:SOME]]


def _tell_landed(report: Report, seen: Settled) -> None:
    report.landed = dict(seen.changes["state"].value_counts(sort=True).iter_rows())
    some = seen.changes.filter(pl.col("state") != LANDED).head(SOME)
    report.not_landed = [_with_item(row) for row in some.to_dicts()]


def _with_item(row: dict[str, Any]) -> dict[str, Any]:
    """A row with its key as people read it."""
    key = row.pop("key")
    return {"item": key.replace(JOINT, " · ") if key else None} | row


def _several(number: int, what: str) -> str:
    return f"{number:,} {what}" if number == 1 else f"{number:,} {what}s"

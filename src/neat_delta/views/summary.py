"""The summary of an unattended run: for the terminal and a text file, as a page, and as a mail with both."""

from __future__ import annotations

import io
from dataclasses import replace
from datetime import UTC, datetime
from email.message import EmailMessage
from email.utils import format_datetime, make_msgid
from importlib.resources import files
from typing import TYPE_CHECKING, Any

from rich.console import Console
from rich.text import Text

from neat_delta.base.json_form import json_bytes
from neat_delta.changeset.changeset import STATES
from neat_delta.reconcile.import_report import is_accepted
from neat_delta.reconcile.three_way import APPLIED
from neat_delta.views.approval_views import approved_text
from neat_delta.views.formatting import count, pluralize, printable
from neat_delta.views.lines import labelled, sentence
from neat_delta.views.preview import more_view
from neat_delta.views.safe_text import safe_json, safe_line, safe_styled
from neat_delta.views.table import Cell, Column, table
from neat_delta.views.verdict import NOT_SENT, next_lines, verdict_view
from neat_delta.workflows.scheduled.report import DONE, FAILED, NEEDED, NOTHING, SOME, WAITING, RunReport

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Sequence

    from neat_delta.workflows.scheduled.run_config import Mail

WIDTH = 80
# The columns that hold values of fields.
VALUES = ("was", "now", "original", "ours", "shop", "value")
STYLES = {DONE: "good", NOTHING: "good", NEEDED: "error", WAITING: "error", FAILED: "error"}
# What an item's change is called, one and several.
DOES = {"change": "changed", "recode": "given a new SKU", "add": "new", "remove": "removed"}


def subject(report: RunReport) -> str:
    """The run and how it came out, in a line."""
    total = sum(report.items.values())
    how_many = f", {pluralize(total, 'item')}" if total else ""
    return f"{report.name}: {report.verdict}{how_many}"


def summary_view(report: RunReport, width: int) -> Iterator[Text]:
    """What was done, what needs a person, and the figures, as people read them on a terminal or in a text."""
    yield labelled("run", f"{report.name}, {_time(report)}")
    yield labelled("verdict", report.verdict, STYLES[report.verdict])
    if report.failure:
        yield from sentence("failed", report.failure, width, "error")
    for need in report.attention_reasons:
        yield from sentence("attention", need, width, "error")
    yield from sentence("people", _people(report), width)
    yield Text()
    for step in report.steps:
        message = step.message if step.state == "done" else f"{step.state}: {step.message}"
        yield from sentence(step.name, printable(message), width, "error" if step.state == "failed" else "plain")
    if report.counts:
        yield Text()
        yield labelled("rows", " · ".join(f"{state} {count(report.counts[state])}" for state in STATES))
    if sum(report.items.values()):
        yield from sentence("items", _does(report), width)
        yield from _rows(report.changes, ("item", "name", "field", "was", "now"), report.cells, "cell", width)
    if report.findings:
        yield Text()
        yield labelled("errors", f"{count(report.levels['error'])}, not sent", "error")
        heads = ("item", *_place(report.findings), "field", "message")
        yield from _rows(report.findings, heads, report.levels["error"], "error", width)
    if report.results:
        yield Text()
        yield from sentence("the shop", " · ".join(f"{name} {count(n)}" for name, n in report.results.items()), width)
        bad = sum(number for name, number in report.results.items() if not is_accepted(name))
        yield from _rows(report.rejected, ("code", "result", "reason"), bad, "row", width)
    if report.applied:
        rest = sum(number for state, number in report.applied.items() if state != APPLIED)
        applied = report.applied.get(APPLIED, 0)
        yield labelled(
            "applied", f"{count(applied)} of {pluralize(applied + rest, 'change')}", "error" if rest else "good"
        )
        yield from _rows(report.not_applied, ("item", "field", "ours", "shop", "state"), rest, "change", width)
    yield Text()
    yield labelled("saved", f"all files are in {report.folder}")
    items = pluralize(sum(report.items.values()), "item")
    yield from verdict_view([report.verdict, f"{items} in the update", _how_far(report)], width)
    for command in report.next_steps:
        yield from next_lines([command])


def _people(report: RunReport) -> str:
    """Who ran it, and who approved what was sent."""
    made = f"made by {printable(report.made_by)}" if report.made_by else "made by a schedule"
    if report.approved_by and report.approved:
        return f"{made}, approved {approved_text(report.approved_by, report.approved)}"
    return made


def _how_far(report: RunReport) -> str:
    """Whether the update was sent; if sending failed midway, nobody may take it for sent."""
    if not report.sent:
        return NOT_SENT
    return "sending was interrupted" if report.failure is not None and report.entry is None else "sent"


def summary_text(report: RunReport) -> str:
    """The summary as plain text for a mail or a log."""
    page = io.StringIO()
    screen = Console(file=page, width=WIDTH, no_color=True, highlight=False, soft_wrap=True, emoji=False, markup=False)
    for line in summary_view(report, WIDTH):
        screen.print(safe_styled(line))
    return page.getvalue()


def summary_page(report: RunReport) -> str:
    """The summary as an HTML document that mail programs can show: no scripts, no files, styles on the elements."""
    import jinja2

    environment = jinja2.Environment(
        autoescape=True, trim_blocks=True, lstrip_blocks=True, undefined=jinja2.StrictUndefined
    )
    template = environment.from_string(files("neat_delta.views").joinpath("summary.html").read_text(encoding="utf-8"))
    return template.render(
        report=report,
        subject=subject(report),
        time=_time(report),
        good=report.exit_code == 0,
        people=_people(report),
        states=[(state, count(report.counts[state])) for state in STATES] if report.counts else [],
        does=_does(report),
        tables=list(_tables(report)),
        count=count,
    )


def summary_mail(report: RunReport, sender: str, receivers: Sequence[str]) -> bytes:
    """The summary as a mail (RFC 5322) with text and page, ready for a mail program to send."""
    assert report.ended is not None
    mail = EmailMessage()
    mail["Subject"] = safe_line(subject(report))
    mail["From"], mail["To"] = sender, ", ".join(receivers)
    mail["Date"] = format_datetime(report.ended)
    mail["Message-ID"] = make_msgid(domain=sender.rpartition("@")[2].rstrip(">"))
    mail.set_content(summary_text(report))
    mail.add_alternative(summary_page(report), subtype="html")
    return mail.as_bytes()


def summaries(report: RunReport, mail: Mail | None) -> dict[str, bytes]:
    """The summary as files, by their names; the mail only where it is said from whom and to whom.

    Of a run that is still at work, it says what would be true if it ended now: that it was interrupted.
    """
    report = replace(report, ended=report.ended or datetime.now(UTC))
    files = {
        "summary.json": safe_json(json_bytes(report.as_dict(), indented=True)) + b"\n",
        "summary.txt": summary_text(report).encode(),
        "summary.html": summary_page(report).encode(),
    }
    return files if mail is None else files | {"summary.eml": summary_mail(report, mail.sender, mail.receivers)}


def _tables(report: RunReport) -> Iterator[tuple[str, Sequence[tuple[str, bool]], list[list[str]]]]:
    """What the page shows as tables: title, column heads with whether numbers stand below them, rows."""
    shown: list[tuple[str, Sequence[str], list[dict[str, Any]]]] = [
        ("Errors, not sent", ("item", *_place(report.findings), "field", "value", "message"), report.findings),
        ("Not accepted by the shop", ("code", "result", "reason"), report.rejected),
        ("Not applied as sent", ("item", "field", "ours", "shop", "state"), report.not_applied),
        ("What changes", ("item", "name", "field", "was", "now"), report.changes),
    ]
    for title, heads, rows in shown:
        if rows:
            title = f"{title}, the first {len(rows)}" if len(rows) == SOME else title
            named = [("why" if head == "message" else head, _numeric(head, rows)) for head in heads]
            yield title, named, [[_cell(row.get(head)) for head in heads] for row in rows]


def _place(findings: Sequence[dict[str, Any]]) -> tuple[str, ...]:
    """What tells the place of findings: the line, and of several files the file."""
    return ("file", "line") if any("file" in row for row in findings) else ("line",)


def _rows(rows: list[dict[str, Any]], heads: Sequence[str], total: int, what: str, width: int) -> Iterator[Text]:
    if not rows:
        return
    right = [_numeric(head, rows) for head in heads]
    cells = [
        [
            Cell("   "),
            *(
                Cell(_cell(row.get(head)), head if head in ("was", "now") else "plain", right=of_numbers)
                for head, of_numbers in zip(heads, right, strict=True)
            ),
        ]
        for row in rows
    ]
    named = [
        Column("why" if head == "message" else head, least=6, right=of_numbers)
        for head, of_numbers in zip(heads, right, strict=True)
    ]
    yield from table([Column(), *named], cells, width)
    yield from more_view(total - len(rows), what, "all are in the files of the run")


def _cell(value: str | int | None) -> str:
    return printable(None if value is None else str(value))


def _numeric(head: str, rows: Iterable[dict[str, Any]]) -> bool:
    """Whether a column has numbers of one form, which stand best with their ends below each other; codes are none."""
    filled = [row[head] for row in rows if row[head]] if head in VALUES else []
    ends = {len(value) - value.rfind(".") if "." in value else 0 for value in filled}
    return len(ends) == 1 and all(value.lstrip("-").replace(".", "", 1).isdecimal() for value in filled)


def _does(report: RunReport) -> str:
    steps = [f"{count(report.items[action])} {message}" for action, message in DOES.items() if report.items.get(action)]
    return f"{', '.join(steps)}; {pluralize(report.cells, 'cell')}"


def _time(report: RunReport) -> str:
    assert report.ended is not None
    seconds = (report.ended - report.started).total_seconds()
    return f"started {report.started:%Y-%m-%d %H:%M} UTC, {seconds:,.0f} s"

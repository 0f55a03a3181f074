"""Make the parts of the documentation that follow from the code: tables of checks and settings, the glossary, commands.

The manual pages are made as well.

Run from the root of the project: python scripts/make_docs.py. A page has ``<!-- made: NAME -->`` and ``<!-- end -->``
on lines of their own around each part.
"""

from __future__ import annotations

import json
import re
from importlib import import_module
from pathlib import Path

import click
from api_reference import api_reference
from man_pages import man_pages
from settings_schema import FILES, settings_schema

from neat_delta.base.frame_schema import Column, json_type
from neat_delta.base.options import GROUPS
from neat_delta.changeset.schemas import Cells, Findings, Items
from neat_delta.checks import CHECKS
from neat_delta.cli import app
from neat_delta.schemas import END, schema_names, schema_text
from neat_delta.tables.setting_texts import option_texts, setting_texts
from neat_delta.views.glossary import KINDS, terms
from neat_delta.views.overrides import override_option

ROOT = Path(__file__).parents[1]
SOURCES = (
    "src/neat_delta/tables/settings.py",
    "src/neat_delta/tables/settings_sections.py",
    "src/neat_delta/tables/import_config.py",
    "src/neat_delta/tables/read_options.py",
    "src/neat_delta/workflows/scheduled/run_config.py",
)
PAGES = (
    "docs/commands.md",
    "docs/catalogue.md",
    "docs/run-files.md",
    "docs/checks.md",
    "docs/glossary.md",
    "docs/api.md",
)


def checks_table() -> str:
    """A row for each check: name, level, what it looks for, what lets it through."""
    rows = ["| check | level | looks for | override for one run |", "|---|---|---|---|"]
    for check in CHECKS:
        option = override_option(check.name, check.override)
        rows.append(f"| {check.name} | {check.level} | {check.about} | {f'`{option}`' if option else '–'} |")
    return "\n".join(rows)


def settings_table(name: str) -> str:
    """The settings that a dataclass declares, as a table."""
    module, source = next((path, text) for path in SOURCES if re.search(rf"class {name}[:(]", text := _text(path)))
    declared = getattr(import_module(module.removeprefix("src/").removesuffix(".py").replace("/", ".")), name)
    lines = [
        "| setting | |",
        "|---|---|",
        *(f"| `{key}` | {text} |" for key, text in {**setting_texts(source, name), **option_texts(declared)}.items()),
    ]
    return "\n".join(lines)


def glossary() -> str:
    """Every term that "neat-delta explain" knows but the settings, which have pages of their own."""
    parts = []
    for kind, title in KINDS.items():
        if kind == "setting":
            continue
        parts += [f"## {title}", ""]
        for term in terms():
            if term.kind == kind:
                note = f" ({term.note})" if term.note else ""
                more = [f"Example: {term.example}"] if term.example else []
                more += [f"To fix: {term.fix}"] if term.fix else []
                more += [f"Override: `{term.override}`"] if term.override else []
                parts += [f"**{term.name}**{note}: " + "<br>".join([term.means, *more]), ""]
    return "\n".join(parts)


def commands() -> str:
    """Every command as its help has it: what it does, examples, and the options of each group."""
    context = click.Context(app.cli, info_name="neat-delta")
    lines = []
    for group, names in app.GROUPS.items():
        lines += [f"## {group}", ""]
        for name in names:
            command = app.cli.get_command(context, name)
            inner = command.commands.items() if isinstance(command, click.Group) else [("", command)]
            for key, one in inner:
                lines += _command(f"neat-delta {name} {key}".strip(), one, context)
    return "\n".join(lines)


def _command(name: str, command: click.Command, context: click.Context) -> list[str]:
    own = click.Context(command, info_name=name, parent=None)
    usage = " ".join(command.collect_usage_pieces(own)).replace("[OPTIONS] ", "").replace("[OPTIONS]", "")
    lines = [f"### {name}", "", f"`{name} {usage}`".replace(" `", "`"), ""]
    lines += [" ".join(paragraph.split()) + "\n" for paragraph in str(command.help).split("\n\n")]
    if examples := getattr(command, "examples", ()):
        lines += ["```sh", *examples, "```", ""]
    options = [param for param in command.params if isinstance(param, click.Option) and not param.hidden]
    for group in GROUPS:
        records = [one.get_help_record(own) for one in options if getattr(one, "group", "") == group]
        if records:
            lines += [f"| {group.lower()} | |", "|---|---|"]
            lines += [f"| `{names}` | {_cell(text)} |" for names, text in filter(None, records)]
            lines += [""]
    return lines


def _cell(text: str) -> str:
    """A text in a cell of a table."""
    return " ".join(text.split()).replace("|", "\\|").replace("<", "&lt;")


def page(path: str) -> str:
    """A page with its made parts made anew."""

    def made(found: re.Match[str]) -> str:
        name = found[1]
        part = {"checks": checks_table, "glossary": glossary, "commands": commands, "api": api_reference}.get(
            name, lambda: settings_table(name)
        )()
        return f"<!-- made: {name} -->\n\n{part}\n\n<!-- end -->"

    return re.sub(r"<!-- made: (\w+) -->\n.*?<!-- end -->", made, _text(path), flags=re.DOTALL)


def _text(path: str) -> str:
    return (ROOT / path).read_text("utf-8")


def change_set_schema() -> str:
    """The JSON Schema of a change set's lines, with its items, cells and findings as their frames are declared."""
    schema = json.loads(schema_text("change-set"))
    item = schema["$defs"]["item"]["properties"]
    item["action"] = json_type(Items.ACTION)
    for column in (Items.ROW_STATE, Items.LINE, Items.NAME):
        item[column] = _left_out_if_null(column)
    cell = item["cells"]["additionalProperties"]
    cell["properties"] = {column: json_type(column) for column in (Cells.WAS, Cells.NOW)}
    finding = item["findings"]["items"]
    finding["properties"] = {column: json_type(column) for column in Findings.columns if column != Findings.KEY}
    return json.dumps(schema, indent=2) + "\n"


def _left_out_if_null(column: Column) -> dict[str, object]:
    """The form of a member that an item does not have where the column is null."""
    form = {name: value for name, value in json_type(column).items() if name != "type"}
    form["type"] = "integer" if column.dtype.is_integer() else "string"
    return form | ({"enum": list(column.words)} if column.words else {})


if __name__ == "__main__":
    (ROOT / "src/neat_delta/schemas" / f"change-set{END}").write_text(change_set_schema(), "utf-8")
    for name in FILES:
        (ROOT / "src/neat_delta/schemas" / f"{name}{END}").write_text(settings_schema(name), "utf-8")
    for name in schema_names():
        (ROOT / "docs" / "schemas" / f"{name}{END}").write_text(schema_text(name), "utf-8")
    for name, text in man_pages().items():
        (ROOT / "docs" / "man" / name).write_text(text, "utf-8", newline="\n")
    for each in PAGES:
        (ROOT / each).write_text(page(each), "utf-8", newline="\n")

"""The docs: links lead somewhere, every command line is one, and the tutorial goes as it says."""

import re
import shlex
from pathlib import Path

import click
import openpyxl
import pytest

from helpers import neat_delta
from neat_delta.base.errors import InvalidInput
from neat_delta.cli import app
from neat_delta.tables.settings_file import load_settings
from neat_delta.workflows.scheduled.run_config import load_run

ROOT = Path(__file__).parents[1]
PAGES = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *sorted((ROOT / "docs").rglob("*.md"))]
FENCE = re.compile(r"^```.*?^```", re.MULTILINE | re.DOTALL)
LINK = re.compile(r"\[[^\]]*\]\(([^)\s]+)\)")


def anchors(page):
    """The places in a page that a link may name: its heads, in small letters, without signs, joined by hyphens."""
    heads = re.findall(r"^#+ (.+)$", FENCE.sub("", page.read_text("utf-8")), re.MULTILINE)
    plain = [re.sub(r"\[([^\]]*)\]\([^)]*\)", r"\1", head) for head in heads]
    return {re.sub(r"[^\w\- ]", "", head.lower()).replace(" ", "-") for head in plain}


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_every_link_leads_somewhere(page):
    """From a page of the docs to another one: the site has nothing else."""
    dead = []
    for target in LINK.findall(FENCE.sub("", page.read_text("utf-8"))):
        if "://" in target:
            continue
        name, _, anchor = target.partition("#")
        there = (page.parent / name).resolve() if name else page
        outside = page.is_relative_to(ROOT / "docs") and not there.is_relative_to(ROOT / "docs")
        if outside or not there.exists() or (anchor and anchor not in anchors(there)):
            dead.append(target)
    assert dead == []


def command_lines(page):
    """The command lines of a page, each on one line."""
    text = page.read_text("utf-8").replace("\\\n", " ")
    for block in re.findall(r"^```sh\n(.*?)^```", text, re.MULTILINE | re.DOTALL):
        for line in block.splitlines():
            line = re.sub(r"\s+#.*", "", line.strip())
            if re.match(r"(\w+=\S+ )*neat-delta \w", line):
                yield re.sub(r"^(\w+=\S+ )*", "", line).partition(" | ")[0].partition(" > ")[0]


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_every_command_line_of_a_page_is_one_that_the_program_takes(page):
    """Each command, option and number of words there is; files need not be there."""
    for line in command_lines(page):
        words = shlex.split(line)[1:]
        context = click.Context(app.cli, info_name="neat-delta", resilient_parsing=True)
        command = app.cli.get_command(context, words[0]) if not words[0].startswith("-") else None
        if command is None:
            assert words[0] in ("--version", "--help"), line
            continue
        rest = words[1:]
        if isinstance(command, click.Group):
            command, rest = command.commands[rest[0]], rest[1:]
        values, others, _ = command.make_parser(click.Context(command)).parse_args(list(rest))
        assert others == [] and values is not None, line


def shown(text):
    """What the tutorial shows of the screen, as blocks of lines."""
    return [
        block.rstrip("\n").splitlines() for block in re.findall(r"^```text\n(.*?)^```", text, re.MULTILINE | re.DOTALL)
    ]


def test_the_tutorial_goes_as_it_says(tmp_path):
    page = (ROOT / "docs" / "tutorial.md").read_text("utf-8")
    folder, output = tmp_path, ""
    for line in re.findall(r"^(?:neat-delta|cd) .*$", page, re.MULTILINE):
        if line.startswith("cd "):
            folder = folder / line.removeprefix("cd ")
            continue
        if "compare" in line:
            edit(folder / "prices.xlsx")
        done = neat_delta(*shlex.split(line)[1:], cwd=folder, NEAT_DELTA_DATA=str(tmp_path / "data"))
        assert done.returncode in (0, 1), (line, done.stderr)
        output += done.stdout
    for block in shown(page):
        assert "\n".join(block) in output, "\n".join(block)
    assert (folder / "prices-update" / "01-changes.csv").read_text() == "sku,price\n000401,84.90\n"


def edit(path):
    """What the tutorial says to type."""
    book = openpyxl.load_workbook(path)
    sheet = book.active
    assert [cell.value for cell in sheet[2]] == ["000401", "Pine hive body, 8 frames", 81]
    sheet["C2"], sheet["C3"] = 84.9, "on request"
    book.save(path)


def test_the_site_has_every_page_in_its_list():
    """mkdocs.yml is read as text, so that this needs no package of the site's."""
    listed = re.findall(r": ([\w/-]+\.md)$", (ROOT / "mkdocs.yml").read_text("utf-8"), re.MULTILINE)
    assert sorted(listed) == sorted(
        path.relative_to(ROOT / "docs").as_posix() for path in (ROOT / "docs").rglob("*.md")
    )


def blocks(page, language):
    return re.findall(rf"^```{language}\b[^\n]*\n(.*?)^```", page.read_text("utf-8"), re.MULTILINE | re.DOTALL)


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_command_lines_are_typed_alike_in_every_shell(page):
    """In double quotes, on one line: single quotes are letters for cmd, and each shell has its own sign to go on."""
    for line in "".join(blocks(page, "sh")).splitlines():
        if not line.startswith("neat-delta "):
            continue
        outside = re.sub(r'"[^"]*"', "", line.partition("  #")[0])
        assert not set(outside) & set("'\\\\`^$"), line


def test_settings_in_the_docs_are_settings(tmp_path, monkeypatch):
    """Each example is read as catalogue.toml or as a run file; what it is a part of is put around it."""
    for page in PAGES:
        for block in blocks(page, "toml"):
            if "[project" in block or "[tool." in block:
                continue
            for name in re.findall(r"\$\{(\w+)\}", block):
                monkeypatch.setenv(name, "files.example")
            path = tmp_path / "example.toml"
            path.write_text(block, "utf-8")
            (tmp_path / "allowed_signers").write_text("")
            _read_as_either(path, block, page)


def _read_as_either(path, block, page):
    try:
        load_settings(path)
    except InvalidInput as error:
        first = error
        own = "" if re.search(r"^live\b", block, re.MULTILINE) else 'live = "live.csv"\n'
        own += (
            ""
            if re.search(r"^(edited|set|changes|\[\[edited_files)\b", block, re.MULTILINE)
            else 'edited = "edited.csv"\n'
        )
        path.write_text(own + block, "utf-8")
        try:
            load_run(path)
        except InvalidInput as second:
            pytest.fail(f"{page.name}: {first}; or {second}")

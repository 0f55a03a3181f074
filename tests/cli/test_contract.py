"""What programs rely on: variables for options and in settings, secrets in files, outputs on standard output."""

import json
import os
import subprocess
import time

import click
import pytest

from helpers import PROGRAM, neat_delta, write_table
from neat_delta import ChangeSet
from neat_delta.cli import app
from neat_delta.cli.help import GroupedOption

LIVE = [["sku", "name", "price"], ["A", "lid", "1.00"], ["B", "jar", "2.00"]]


@pytest.fixture
def work(tmp_path):
    write_table(tmp_path / "live.csv", LIVE)
    write_table(tmp_path / "edited.csv", [LIVE[0], ["A", "Lid", "1.10"], ["B", "jar", "x"]])
    return tmp_path


def test_every_option_of_every_command_has_a_variable_of_its_own():
    context = click.Context(app.cli, info_name="neat-delta", auto_envvar_prefix="NEAT_DELTA")
    for name in app.COMMANDS:
        command = app.cli.get_command(context, name)
        inner = click.Context(command, parent=context, info_name=name)
        commands = [(inner, command)]
        if isinstance(command, click.Group):
            commands = [(click.Context(one, parent=inner, info_name=key), one) for key, one in command.commands.items()]
        for ctx, one in commands:
            variables = [param.variable(ctx) for param in one.params if isinstance(param, GroupedOption)]
            assert len(set(variables)) == len(variables)
            assert all(variable.startswith("NEAT_DELTA_" + name.upper()) for variable in variables), variables
            assert all(isinstance(param, GroupedOption) for param in one.params if isinstance(param, click.Option))


def test_options_are_taken_from_variables_and_the_command_line_goes_first(work):
    strict = neat_delta("compare", "live.csv", "edited.csv", "--write", "up", cwd=work, NEAT_DELTA_COMPARE_STRICT="1")
    assert (strict.returncode, (work / "up").exists()) == (3, False)
    several = {"NEAT_DELTA_COMPARE_SKIP": "name\n", "NEAT_DELTA_COMPARE_JSON": "true"}
    skipped = neat_delta("compare", "live.csv", "edited.csv", cwd=work, **several)
    assert json.loads(skipped.stdout)["result"]["counts"]["changed"] == 1
    lines = "price = price * 2\nname = upper(name)\n"
    neat_delta("adjust", "live.csv", "-o", "a.changes.jsonl", cwd=work, NEAT_DELTA_ADJUST_SET=lines)
    assert len(ChangeSet.load(work / "a.changes.jsonl").cells) == 4
    wrong = neat_delta("preview", "x.changes.jsonl", cwd=work, NEAT_DELTA_PREVIEW_LIMIT="many")
    assert (wrong.returncode, "from the variable NEAT_DELTA_PREVIEW_LIMIT" in wrong.stderr) == (2, True)
    other = neat_delta("inspect", "live.csv", cwd=work, NEAT_DELTA_VERSION="1.2", NEAT_DELTA_INSPECT_VERBOSE="1")
    assert (other.returncode, "INFO neat-delta inspect" in other.stderr) == (0, True)
    first = neat_delta("preview", "x.changes.jsonl", "--limit", "3", cwd=work, NEAT_DELTA_PREVIEW_LIMIT="many")
    assert "file not found" in first.stderr


def test_settings_take_variables_and_name_one_that_is_not_set(work):
    word = "${NEAT_DELTA_VALUE_WORD}"
    (work / "catalogue.toml").write_text(
        f'[fields.name]\nlocked = true\n[known]\nname = ["{word} {word}", "$${{x}}"]\n'
    )
    unset = neat_delta("compare", "live.csv", "edited.csv", cwd=work)
    assert unset.returncode == 3
    assert "catalogue.toml, line 4: there is no variable NEAT_DELTA_VALUE_WORD in the environment" in unset.stderr
    assert neat_delta("compare", "live.csv", "edited.csv", cwd=work, NEAT_DELTA_VALUE_WORD="x").returncode == 1
    (work / "r.toml").write_text('live = "${PLACE}/live.csv"\nset = ["price = price * 2"]\n')
    told = {"PLACE": str(work), "NEAT_DELTA_VALUE_WORD": "x"}
    assert "the variable PLACE may not be used in a file" in neat_delta("run", "r.toml", cwd=work, **told).stderr
    (work / "allowed-variables.txt").write_text("PLACE\nSHOP_TOKEN\n")
    done = neat_delta("run", "r.toml", "--validate", "--json", cwd=work, **told)
    assert json.loads(done.stdout)["result"]["settings"]["live"] == f"{work}/live.csv"


@pytest.mark.parametrize("name", ["SHOP_TOKEN", "NEAT_DELTA_PASSWORD_SHOP_EXAMPLE", "NEAT_DELTA_VALUE_SECRET", "HOME"])
def test_no_file_gets_at_a_secret(work, name):
    (work / "allowed-variables.txt").write_text("SHOP_TOKEN\n")
    (work / "r.toml").write_text(f'live = "https://other.example/${{{name}}}"\nset = ["price = price * 2"]\n')
    done = neat_delta("run", "r.toml", "--validate", cwd=work, **{name: "sec-honey"})
    assert (done.returncode, "sec-honey" in done.stdout + done.stderr) == (3, False)
    assert f"line 1: the variable {name} may not be used in a file" in done.stderr


@pytest.mark.parametrize(
    ("key", "file"),
    [("heartbeat", "live.csv"), ("metrics", "edited.csv"), ("heartbeat", "h.sqlite"), ("metrics", "notes.txt")],
)
def test_a_run_file_replaces_no_file_but_its_own(work, key, file):
    (work / "notes.txt").write_text("important")
    (work / "inbox").mkdir()
    an_hour_ago = time.time() - 3600
    os.utime(work / "live.csv", (an_hour_ago, an_hour_ago))
    head = 'live = "live.csv"\nedited = "edited.csv"\nto = "inbox"\nhistory = "h.sqlite"\n'
    (work / "r.toml").write_text(head)
    if file == "h.sqlite":
        neat_delta("run", "r.toml", cwd=work)
    before = (work / file).read_bytes()
    (work / "r.toml").write_text(f'{head}{key} = "{file}"\n')

    done = neat_delta("run", "r.toml", cwd=work)

    assert (done.returncode, file == "h.sqlite" or (work / file).read_bytes() == before) == (1, True)
    assert (work / file).read_bytes()[:12] == before[:12]
    assert "this is another file, so it was not replaced" in done.stderr
    assert "is another file, which is never replaced" in neat_delta("run", "r.toml", "--validate", cwd=work).stderr
    (work / "r.toml").write_text(f'{head}{key} = "new.txt"\n')
    assert [neat_delta("run", "r.toml", cwd=work).stderr for _ in range(2)] == ["", ""]


@pytest.mark.parametrize("file", ["live.csv", "edited.csv"])
def test_no_output_replaces_what_the_change_set_was_made_from(work, file):
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", cwd=work)
    before = (work / file).read_bytes()
    for option in ("--review", "--page"):
        done = neat_delta("preview", "c.changes.jsonl", option, file, "--overwrite", cwd=work)
        assert (done.returncode, (work / file).read_bytes() == before) == (3, True), done.stdout
        assert "this is an input file" in done.stderr


def test_a_secret_may_be_in_a_file(work):
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", cwd=work)
    (work / "secret").write_text("a secret of sixteen letters\n")
    words = ("approve", "c.changes.jsonl", "--by", "Anna")
    missing = neat_delta(*words, cwd=work, NEAT_DELTA_APPROVAL_SECRET_FILE="nowhere")
    good = neat_delta(*words, cwd=work, NEAT_DELTA_APPROVAL_SECRET_FILE="secret")

    assert (missing.returncode, good.returncode) == (4, 0)
    assert "NEAT_DELTA_APPROVAL_SECRET_FILE cannot be read" in missing.stderr


def test_what_a_command_makes_goes_down_a_pipe_and_what_it_says_to_standard_error(work):
    made = subprocess.run(
        [PROGRAM, "compare", "live.csv", "edited.csv", "-o", "-"], cwd=work, capture_output=True, check=False
    )
    written = subprocess.run(
        [PROGRAM, "write", "-", "-o", "up", "--live", "live.csv"],
        cwd=work,
        input=made.stdout,
        capture_output=True,
        check=False,
    )
    page = subprocess.run(
        [PROGRAM, "preview", "-", "--page", "-", "--live", "live.csv", "--json"],
        cwd=work,
        input=made.stdout,
        capture_output=True,
        check=False,
    )

    assert made.stdout.startswith(b'{"neat_delta":2,')
    assert b"2 errors, not sent" in made.stderr or b"1 error, not sent" in made.stderr
    assert (written.returncode, (work / "up" / "receipt.json").is_file()) == (1, True)
    assert page.stdout.startswith(b"<!doctype html>")
    assert json.loads(page.stderr)["command"] == "preview"
    assert not (work / "-").exists()

"""Commands that are printed can be pasted into the shell that the user has."""

import shlex
import subprocess

import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_delta.base.shell import CMD, POWERSHELL, SH, command_line, free_name, quoted

words = st.text(st.characters(codec="utf-8", exclude_characters="\x00\r\n"), min_size=1, max_size=12)


@given(st.lists(words, min_size=1, max_size=6), st.sampled_from([20, 60, 400]))
def test_a_command_for_sh_is_read_back_word_by_word(given_words, room):
    lines = command_line(["neat-delta", *given_words], room, SH)

    assert shlex.split("\n".join(lines).replace("\\\n", " ")) == ["neat-delta", *given_words]


def test_sh_itself_reads_it_so():
    given_words = ["my file.csv", "price = price * 1.05", "it's", '$HOME "x" `id`', "a\\b", "é"]
    script = command_line(["printf", "%s\\n", *given_words], 30, SH)

    done = subprocess.run(["sh", "-c", "\n".join(script)], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines() == given_words


@pytest.mark.parametrize(
    ("shell", "word", "expected"),
    [
        (POWERSHELL, "live.csv", "live.csv"),
        (POWERSHELL, "my file.csv", "'my file.csv'"),
        (POWERSHELL, "it's $5", "'it''s $5'"),
        (POWERSHELL, "A,B", "'A,B'"),
        (CMD, "C:\\shop\\live.csv", "C:\\shop\\live.csv"),
        (CMD, "my file.csv", '"my file.csv"'),
        (CMD, 'say "hi"', '"say \\"hi\\""'),
        (CMD, "my folder\\", '"my folder\\\\"'),
    ],
)
def test_words_are_quoted_as_the_shells_of_windows_want_it(shell, word, expected):
    assert quoted(word, shell) == expected


@pytest.mark.parametrize(("shell", "sign"), [(SH, "\\"), (POWERSHELL, "`"), (CMD, "^")])
def test_a_long_command_goes_on_in_the_way_of_its_shell(shell, sign):
    first, second = command_line(["neat-delta", "compare", "live.csv", "--write", "updates"], 30, shell)

    assert first == f"neat-delta compare live.csv {sign}"
    assert second == "  --write updates"


def test_a_name_that_is_taken_gets_a_number(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "updates").mkdir()
    (tmp_path / "problems.xlsx").touch()
    (tmp_path / "problems-2.xlsx").touch()

    assert [free_name(name) for name in ("updates", "problems.xlsx", "new")] == ["updates-2", "problems-3.xlsx", "new"]

"""A change of a text as what stayed, went and came."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_delta.analysis.text_diff import CAME, MOST_WORDS, SAME, WENT, in_surroundings, pieces
from neat_delta.views.changed_text import changed_text

text = st.text(st.sampled_from("ab ,.ä\n"), max_size=30)


@given(text, text, st.booleans())
def test_what_stayed_and_went_is_the_old_text_and_what_stayed_and_came_the_new(was, now, long):
    if long:
        was, now = "y" + was + "x " * MOST_WORDS + was, "z" + now + "x " * MOST_WORDS + now

    parts = pieces(was, now)

    assert "".join(part.text for part in parts if part.what in (SAME, WENT)) == was
    assert "".join(part.text for part in parts if part.what in (SAME, CAME)) == now


@pytest.mark.parametrize(
    ("was", "now", "kind", "separator", "shown"),
    [
        ("1.50", "2", "price", None, "1.50 → 2"),
        ("Hive body, 8 frames", "Hive body, 10 frames", "text", None, "Hive body, (8 → 10) frames"),
        ("Hive", "Hive body", "text", None, "Hive(+  body)"),
        ("the old hive", "hive", "text", None, "(− the old )hive"),
        ("veil", "hat", "text", None, "veil → hat"),
        (None, "new", "text", None, "– → new"),
        ("autumn|new", "new|sale", "text", "|", "− autumn   + sale"),
        ("a|b", "b|a", "text", "|", "a|b → b|a"),
        ("a\x1bb c", "a\x1bb d", "text", None, "a·b (c → d)"),
    ],
)
def test_a_change_reads_without_colours(was, now, kind, separator, shown):
    assert changed_text(was, now, kind, separator).plain == shown


def test_long_stretches_that_stayed_are_cut():
    parts = in_surroundings(pieces("w " * 100 + "old" + " w" * 100, "w " * 100 + "new" + " w" * 100), 10)

    assert [part.text for part in parts] == ["…w w w w w ", "old", "new", " w w w w w…"]

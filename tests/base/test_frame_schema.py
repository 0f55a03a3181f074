"""A frame is what its schema says, or a room does not hand it on."""

import polars as pl
import pytest

from neat_delta.base.frame_schema import BrokenFrame
from neat_delta.changeset.schemas import Cells, Findings, Items

CELLS = pl.DataFrame([("A", "price", "1", "2")], schema=Cells.dtypes(), orient="row")
ITEMS = pl.DataFrame([("A", "change", "changed", 2, "lid", None)], schema=Items.dtypes(), orient="row")
FINDING = ("decimal slip", "error", "block", "A", "price", 2, "9", "ten times", None)
FINDINGS = pl.DataFrame([FINDING], schema=Findings.dtypes(), orient="row")


def test_good_frames_pass():
    assert Cells.checked(CELLS).equals(CELLS)
    assert Items.checked(ITEMS).equals(ITEMS)
    assert Findings.checked(FINDINGS).equals(FINDINGS)


@pytest.mark.parametrize(
    ("check", "frame", "says"),
    [
        (Cells.checked, CELLS.rename({"was": "before"}), "Cells"),
        (Cells.checked, CELLS.select("field", "key", "was", "now"), "Cells"),
        (Cells.checked, CELLS.with_columns(now=pl.lit(2)), "Int32"),
        (Cells.checked, CELLS.with_columns(key=pl.lit(None, pl.String)), "key has a null"),
        (Cells.checked, pl.concat([CELLS, CELLS]), "two rows have the same key, field"),
        (Items.checked, ITEMS.with_columns(action=pl.lit("chnage")), "action is none of change"),
        (Items.checked, ITEMS.with_columns(row_state=pl.lit("gone")), "row_state"),
        (Findings.checked, FINDINGS.with_columns(level=pl.lit("stop")), "level is none of error, warning, note"),
        (Findings.checked, FINDINGS.with_columns(effect=pl.lit(None, pl.String)), "effect has a null"),
    ],
)
def test_another_one_is_a_fault_of_the_room_that_made_it(check, frame, says):
    with pytest.raises(BrokenFrame, match=says):
        check(frame)

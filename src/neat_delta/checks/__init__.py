"""Trial runs: what a spreadsheet program or a slip of the hand has done to the data, found before the shop sees it."""

from neat_delta.checks.check import Check, Trial
from neat_delta.checks.runner import CHECKS, tried_again, try_out

__all__ = ["CHECKS", "Check", "Trial", "tried_again", "try_out"]

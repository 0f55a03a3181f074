"""Trial runs: what a spreadsheet program or a slip of the hand has done to the data, found before the shop sees it."""

from neat_delta.checks.check import Check, CheckContext
from neat_delta.checks.runner import CHECKS, all_checks, checks_without_fields, recheck, run_checks

__all__ = ["CHECKS", "Check", "CheckContext", "all_checks", "checks_without_fields", "recheck", "run_checks"]

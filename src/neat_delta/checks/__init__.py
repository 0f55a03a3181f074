"""What can be wrong with values: one module for each family of checks."""

from neat_delta.checks.damage import damage_in, damage_marks
from neat_delta.checks.trial import Trial, try_out

__all__ = ["Trial", "damage_in", "damage_marks", "try_out"]

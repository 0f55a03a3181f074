"""What can be wrong with values: one module for each family of checks."""

from neat_delta.checks.damage import damage_in, damage_marks

__all__ = ["damage_in", "damage_marks"]

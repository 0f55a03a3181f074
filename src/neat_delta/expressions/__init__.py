"""Formulas and conditions: parsed from SQL text, checked against a list, and computed over columns with exact decimals.

An expression knows the fields it names and nothing else. It is never handed to an engine as text: each operator and
function it may use is one of those listed in this room, so that nothing in it can reach a file, a table or the network.
"""

from neat_delta.expressions.expression import Expression, parse_expression
from neat_delta.expressions.value import ExpressionError

__all__ = ["Expression", "ExpressionError", "parse_expression"]

"""Runs without a person: from a file that says what to do, to a summary of what was done."""

"""What makes a change set: comparing files, supplier files, formulas, code changes, deletions."""

"""Workbooks that people fill in: the sheet for editing, problems, review, conflicts."""

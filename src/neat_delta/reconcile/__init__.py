"""Change sets against a newer export: refreshing, verifying, deciding, import reports."""

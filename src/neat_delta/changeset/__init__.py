"""The ChangeSet value: what is to become of which item; made, changed, kept and read here only."""

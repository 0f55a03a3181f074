"""Tables of databases: read as any table file is, and updated in place, guarded by their old values."""

"""What each command does: its request, its job, its view. Loaded when the command is called, not for its help."""

"""What the command line, scheduled runs and the Python API share: plan, then publish."""

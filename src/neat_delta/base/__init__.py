"""What every room needs: errors and codes, JSON, texts, the shell, progress, extras and plug-ins."""

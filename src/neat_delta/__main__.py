"""The door for ``neat-delta`` and ``python -m neat_delta``."""

from neat_delta.cli import main

if __name__ == "__main__":
    main()

"""Passwords and tokens: from the environment, else from the system's keyring; each for one machine only.

They are never asked for, shown, or written down.
"""

from __future__ import annotations

import os
import re

SERVICE = "neat-delta"
PASSWORD, TOKEN = "NEAT_DELTA_PASSWORD", "NEAT_DELTA_TOKEN"


def variable(sort: str, host: str) -> str:
    """The variable that holds a secret (``PASSWORD`` or ``TOKEN``) for a machine."""
    return f"{sort}_{re.sub('[^A-Z0-9]', '_', host.upper())}"


def told(sort: str, host: str) -> str | None:
    """The secret that the environment tells."""
    return os.environ.get(variable(sort, host)) or None


def kept(who: str, host: str) -> str | None:
    """The secret that the system's keyring keeps for ``who@host``; ``None`` where there is no keyring."""
    try:
        import keyring
        from keyring.errors import KeyringError
    except ImportError:
        return None
    try:
        return keyring.get_password(SERVICE, f"{who}@{host}")
    except (KeyringError, OSError, RuntimeError):
        return None


def password_of(user: str, host: str) -> str | None:
    """A user's password on a machine."""
    return told(PASSWORD, host) or kept(user, host)


def where_to_put(sort: str, who: str, host: str) -> str:
    """What a person does about a missing or wrong secret."""
    return f"Put it into the variable {variable(sort, host)}, or into the keyring as {who}@{host} of {SERVICE}."

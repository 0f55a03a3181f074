"""Passwords and tokens: from the environment, else from the system's keyring; each for one machine only.

They are never asked for, shown, or written down: what a machine or a library says of them is shown without them.
"""

from __future__ import annotations

import base64
import hashlib
import ipaddress
import os
import re
from pathlib import Path

from neat_delta.base.errors import DeliveryError
from neat_delta.base.redact import keep_hidden

SERVICE = "neat-delta"
PASSWORD, TOKEN = "NEAT_DELTA_PASSWORD", "NEAT_DELTA_TOKEN"
# Machines to which secrets may go over lines that others can read.
UNENCRYPTED = "NEAT_DELTA_UNENCRYPTED"
LABEL = "[a-z0-9]+(?:-+[a-z0-9]+)*"
PLAIN_HOST = re.compile(rf"{LABEL}(?:\.{LABEL})*")


def variable(sort: str, host: str) -> str:
    """The variable that holds a secret (``PASSWORD`` or ``TOKEN``) for a machine; no two machines share one.

    A point becomes ``_`` and a hyphen ``__``; a name with other signs is distinguished by eight digits of its SHA-256.
    """
    name = host.lower().rstrip(".")
    if not name.isascii():
        try:
            name = name.encode("idna").decode()
        except UnicodeError:
            name = host.lower()
    name_of_variable = re.sub("[^A-Z0-9]", "_", name.replace("-", "__").upper())
    separator = "" if PLAIN_HOST.fullmatch(name) else f"___{hashlib.sha256(name.encode()).hexdigest()[:8].upper()}"
    return f"{sort}_{name_of_variable}{separator}"


def named_secret(sort: str) -> str | None:
    """A secret that belongs to no machine: NEAT_DELTA_ and its name in the environment, else in the keyring.

    Raises:
        DeliveryError: it has signs that no secret has, such as a line end in its midst.
    """
    name = f"NEAT_DELTA_{sort}"
    return _usable(_from_variable(name), f"the variable {name}") or _from_keyring(sort.lower().replace("_", "-"))


def where_to_put_named(sort: str) -> str:
    """What a person does about such a secret that is missing."""
    entry = sort.lower().replace("_", "-")
    return f"Put it into the variable NEAT_DELTA_{sort}, or into the keyring as {entry} of {SERVICE}"


def from_env(sort: str, host: str) -> str | None:
    """The secret that the environment tells.

    Raises:
        DeliveryError: it has signs that no secret has, such as a line end in its midst.
    """
    name = variable(sort, host)
    return _usable(_from_variable(name), f"the variable {name}")


def _from_variable(name: str) -> str | None:
    """What a variable holds, or the file that the variable of this name and ``_FILE`` names, as containers have it.

    Raises:
        DeliveryError: the file cannot be read.
    """
    file = os.environ.get(f"{name}_FILE")
    if name in os.environ or not file:
        return os.environ.get(name)
    try:
        return Path(file).read_text("utf-8")
    except (OSError, ValueError) as error:
        raise DeliveryError(
            f"the file of {name}_FILE cannot be read", file=file, hint="Correct the variable, or allow reading it."
        ) from error


def from_keyring(who: str, host: str) -> str | None:
    """The secret that the system's keyring keeps for ``who@host``; ``None`` where there is no keyring.

    Raises:
        DeliveryError: it has signs that no secret has, such as a line end in its midst.
    """
    return _from_keyring(f"{who}@{host}")


def _from_keyring(entry: str) -> str | None:
    try:
        import keyring
        from keyring.errors import KeyringError
    except ImportError:
        return None
    try:
        secret = keyring.get_password(SERVICE, entry)
    except (KeyringError, OSError, RuntimeError):
        return None
    return _usable(secret, f"the keyring's entry {entry}")


def password_of(user: str, host: str) -> str | None:
    """A user's password on a machine."""
    password = from_env(PASSWORD, host) or from_keyring(user, host)
    if password:
        # As HTTP would send it (RFC 7617).
        keep_hidden(base64.b64encode(f"{user}:{password}".encode()).decode())
    return password


def where_to_put(sort: str, who: str, host: str) -> str:
    """What a person does about a missing or wrong secret."""
    return f"Put it into the variable {variable(sort, host)}, or into the keyring as {who}@{host} of {SERVICE}."


def may_go_unencrypted(host: str) -> bool:
    """Whether a secret may go over a line that is not encrypted: on this machine, or to one that a person named."""
    named = {one.strip().lower() for one in os.environ.get(UNENCRYPTED, "").split(",")}
    return host.lower() in named or _is_this_machine(host)


def _usable(secret: str | None, where: str) -> str | None:
    """A secret without the line end that files and pipes leave behind it."""
    secret = (secret or "").strip("\r\n")
    if not secret:
        return None
    keep_hidden(secret)
    if not secret.isprintable():
        raise DeliveryError(
            f"{where} has a line end or another character that a secret cannot have", hint="Set it again."
        )
    return secret


def _is_this_machine(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host.lower().rstrip(".") == "localhost"

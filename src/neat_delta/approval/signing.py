"""Signatures: by a secret that a team shares (HMAC-SHA-256, RFC 2104), or by an SSH key of one person.

SSH signatures are made and checked by OpenSSH's own program (ssh-keygen, PROTOCOL.sshsig), and so is the file that says
which person has which key.
"""

from __future__ import annotations

import hashlib
import hmac
import shutil
import subprocess
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from neat_delta.base.errors import NotApproved
from neat_delta.remote.secrets import named_secret, where_to_put_named

# What the signatures are for; one that was made for something else does not hold.
NAMESPACE = "neat-delta"
SECRET = "APPROVAL_SECRET"
SHORTEST_SECRET = 16
# Seconds in which a signature is made or checked, a person's passphrase included.
LONGEST = 120


@dataclass(frozen=True)
class Signature:
    """How something is signed, and the signature: hexadecimal digits, or the armored text of ssh-keygen."""

    method: Literal["hmac-sha256", "ssh"]
    value: str


def sign(message: bytes, key: Path | None) -> Signature:
    """The signature of a message: by an SSH key, or by the secret of the team.

    Raises:
        NotApproved: there is no secret, or the key cannot be used.
    """
    if key is None:
        return Signature("hmac-sha256", hmac.new(_team_secret(), message, hashlib.sha256).hexdigest())
    done = _ssh_keygen(["-Y", "sign", "-n", NAMESPACE, "-f", str(key)], message)
    if done.returncode or not done.stdout:
        raise NotApproved(
            f"ssh-keygen could not sign ({_words(done)})", file=key, hint="Give your SSH key, or load it in your agent."
        )
    return Signature("ssh", done.stdout.decode())


def holds(signature: Signature, message: bytes, by: str, signers: Path | None) -> bool:
    """Whether a signature is that of this message; where there is a file of signers, by this person's SSH key.

    Raises:
        NotApproved: there is no secret to check it with, or ssh-keygen is missing.
    """
    if signers is None:
        if signature.method != "hmac-sha256":
            return False
        expected = hmac.new(_team_secret(), message, hashlib.sha256).hexdigest()
        return hmac.compare_digest(expected.encode(), signature.value.encode())
    if signature.method != "ssh":
        return False
    if not signers.is_file():
        raise NotApproved("file not found", file=signers, hint="It says who has which SSH key (see man ssh-keygen).")
    with tempfile.TemporaryDirectory(prefix="neat-delta-") as folder:
        armored = Path(folder) / "signature"
        armored.write_text(signature.value, encoding="utf-8")
        words = ["-Y", "verify", "-n", NAMESPACE, "-f", str(signers), "-I", by, "-s", str(armored)]
        return _ssh_keygen(words, message).returncode == 0


def _team_secret() -> bytes:
    secret = named_secret(SECRET)
    if secret is None:
        raise NotApproved(f"the secret of the team is missing. {where_to_put_named(SECRET)}")
    if len(secret) < SHORTEST_SECRET:
        raise NotApproved(
            f"the secret of the team is too short. Take {SHORTEST_SECRET} characters or more, by chance",
        )
    return secret.encode()


def _ssh_keygen(words: list[str], message: bytes) -> subprocess.CompletedProcess[bytes]:
    program = shutil.which("ssh-keygen")
    if program is None:
        raise NotApproved("ssh-keygen is not installed here", hint="Install OpenSSH, or use the secret of a team.")
    try:
        return subprocess.run([program, *words], input=message, capture_output=True, check=False, timeout=LONGEST)
    except subprocess.TimeoutExpired as error:
        raise NotApproved(f"ssh-keygen did not end within {LONGEST} seconds") from error


def _words(done: subprocess.CompletedProcess[bytes]) -> str:
    return " ".join(done.stderr.decode(errors="replace").split()) or f"exit code {done.returncode}"

"""Attacks as JSON, so that a case that was found can be kept and tried again."""

from __future__ import annotations

import base64
import zlib
from typing import Any

from fuzz.targets import Attack


def as_json(attack: Attack, fault: str | None = None, said: str = "") -> dict[str, Any]:
    """An attack with what came of it."""
    data = base64.b64encode(zlib.compress(attack.data, 9)).decode()
    return {"fault": fault, "words": list(attack.words), "place": attack.place, "data": data, "said": said[-3000:]}


def as_attack(found: dict[str, Any]) -> Attack:
    """The attack again."""
    data = zlib.decompress(base64.b64decode(found["data"])) if found["data"] else b""
    return Attack(tuple(found["words"]), found["place"], data)

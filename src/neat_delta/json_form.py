"""Dataclasses in the form that JSON takes: members have the names that they have in the code."""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from pathlib import PurePath
from typing import Any


def to_json(value: Any) -> Any:
    """A dataclass, and those inside it, as dictionaries by names of members; paths as text, others as they are."""
    if is_dataclass(value) and not isinstance(value, type):
        return {member.name: to_json(getattr(value, member.name)) for member in fields(value)}
    if isinstance(value, dict):
        return {key: to_json(each) for key, each in value.items()}
    if isinstance(value, list | tuple):
        return [to_json(each) for each in value]
    return str(value) if isinstance(value, PurePath) else value

"""The JSON Schemas of the files of settings, made from the dataclasses that their loader reads them into.

With them an editor offers and checks the settings while they are written. What no JSON Schema can say, such as two
settings that do not go together, only the program tells.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import MISSING, fields, is_dataclass
from datetime import datetime
from decimal import Decimal
from pathlib import Path
from types import UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

from neat_delta.base.options import OPTION
from neat_delta.tables.config_loader import keys_of
from neat_delta.tables.constraints import AtLeast, AtMost, Inlined, NotEmpty, OneOf, Translated
from neat_delta.tables.setting_texts import option_texts, setting_texts
from neat_delta.tables.settings import Settings
from neat_delta.workflows.scheduled.run_config import RunConfig

SOURCE = Path(__file__).parents[1] / "src"
# By the schema's name: the class, the title, and what the file is.
FILES: dict[str, tuple[type, str, str]] = {
    "catalogue": (Settings, "Settings of a shop", "catalogue.toml: the shop's fields, formats, suppliers and checks"),
    "run-file": (RunConfig, "Run file", "what a run does; done by: neat-delta run RUN.toml"),
}
SIMPLE: dict[Any, dict[str, Any]] = {
    str: {"type": "string"},
    bool: {"type": "boolean"},
    int: {"type": "integer"},
    float: {"type": "number"},
    Decimal: {"type": "number"},
    # (TOML has dates of its own; as JSON they are texts.)
    datetime: {"type": "string"},
}


def settings_schema(name: str) -> str:
    """The schema of one of ``FILES``, as text."""
    cls, title, what = FILES[name]
    definitions: dict[str, Any] = {}
    top = _object(cls, definitions)
    head = {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": title, "description": what}
    return json.dumps(head | top | {"$defs": dict(sorted(definitions.items()))}, indent=2, ensure_ascii=False) + "\n"


def _object(cls: Any, definitions: dict[str, Any]) -> dict[str, Any]:
    """A table with names of ours."""
    hints = get_type_hints(cls, include_extras=True)
    names = keys_of(cls)
    texts = _texts(cls)
    properties, required = {}, []
    for member in fields(cls):
        if member.name not in names:
            continue
        key, declared = names[member.name], hints[member.name]
        form = _form(declared, definitions) | _limits_of(member.metadata.get(OPTION))
        if any(isinstance(each, Inlined) for each in getattr(declared, "__metadata__", ())):
            properties |= _object(get_args(declared)[0], definitions)["properties"]
        # (What another definition says, is said beside it.)
        properties[key] = form | ({"description": texts[key]} if key in texts else {})
        if member.default is MISSING and member.default_factory is MISSING:
            required.append(key)
    found = {"type": "object", "properties": properties, "additionalProperties": False}
    return found | ({"required": required} if required else {})


def _texts(cls: Any) -> dict[str, str]:
    """What is said of each setting, by its name in the file."""
    source = (SOURCE / (cls.__module__.replace(".", "/") + ".py")).read_text("utf-8")
    return setting_texts(source, cls.__name__) | option_texts(cls)


def _form(declared: Any, definitions: dict[str, Any]) -> dict[str, Any]:
    """What a value of this type is in the file."""
    origin, parts = get_origin(declared), get_args(declared)
    if origin is Annotated:
        bare, *constraints = parts
        bare = next((each.written_as for each in constraints if hasattr(each, "written_as")), bare)
        form = _form(bare, definitions)
        for constraint in constraints:
            form |= _limits(constraint)
        return form
    if origin in (Union, UnionType):
        inner = [part for part in parts if part is not type(None)]
        # (A place or an address is written as a text, whichever of them it is.)
        return _form(inner[0], definitions) if len(inner) == 1 else {"type": "string"}
    if origin is tuple:
        return _list(parts[0], definitions)
    if origin is Mapping:
        return {"type": "object", "additionalProperties": _form(parts[1], definitions)}
    if origin is Literal:
        return {"enum": list(parts)}
    if is_dataclass(declared):
        name = declared.__name__
        if name not in definitions:
            definitions[name] = {}
            definitions[name] |= _object(declared, definitions)
        return {"$ref": f"#/$defs/{name}"}
    return dict(SIMPLE.get(declared, {"type": "string"}))


def _list(of: Any, definitions: dict[str, Any]) -> dict[str, Any]:
    """A list; of one text, people write the text."""
    form = _form(of, definitions)
    many = {"type": "array", "items": form}
    return many if "$ref" in form else {"anyOf": [form | {"minLength": 1}, many]}


def _limits(constraint: Any) -> dict[str, Any]:
    """What a constraint says that a schema can say."""
    if isinstance(constraint, AtLeast):
        return {"minimum": constraint.least}
    if isinstance(constraint, AtMost):
        return {"maximum": constraint.most}
    if isinstance(constraint, Translated):
        return {"enum": list(constraint.meanings)}
    if isinstance(constraint, OneOf) and not callable(constraint.choices):
        return {"enum": list(constraint.choices)}
    return {"minLength": 1} if isinstance(constraint, NotEmpty) else {}


def _limits_of(option: Any) -> dict[str, Any]:
    """The same of an option of the command line."""
    if option is None:
        return {}
    words = option.choices if option.choices and not callable(option.choices) else ()
    return ({"enum": list(words)} if words else {}) | ({"minimum": option.least} if option.least is not None else {})

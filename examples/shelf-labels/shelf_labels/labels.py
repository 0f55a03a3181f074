"""A format of update files: a block of lines for each item, and a blank line behind it."""

from __future__ import annotations

import json


class Labels:
    """Each line is a column and its value as a JSON text, so that nothing in a value can end a line."""

    suffix = ".labels"

    def write(self, records: list[dict[str, str | None]]) -> bytes:
        """The file of some records."""
        blocks = [
            "".join(f"{json.dumps(name)}: {json.dumps(value)}\n" for name, value in one.items()) for one in records
        ]
        return "\n".join(blocks).encode()

    def read(self, data: bytes) -> list[dict[str, str | None]]:
        """The records of such a file."""
        return [self._record(block) for block in data.decode().split("\n\n") if block.strip()]

    def _record(self, block: str) -> dict[str, str | None]:
        decoder, record = json.JSONDecoder(), {}
        for line in block.strip("\n").split("\n"):
            name, end = decoder.raw_decode(line)
            record[name] = json.loads(line[end + 2 :])
        return record


LABELS = Labels()

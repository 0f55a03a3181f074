"""One door for what parsers of other people's formats raise: damaged data make them fail in ways that nobody lists."""

from __future__ import annotations

from contextlib import contextmanager
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput, NeatDeltaError

if TYPE_CHECKING:
    from collections.abc import Iterator


@contextmanager
def parse_errors_as(what: str, file: object, hint: str) -> Iterator[None]:
    """Turn whatever a parser raises into ``InvalidInput``; only calls of parsers belong inside.

    Args:
        what: what cannot be done, such as "cannot read the workbook"; the parser's own words follow in brackets.
        file: the file.
        hint: what to do about it.

    Raises:
        InvalidInput: in place of any error of a parser, panics of compiled ones included.
    """
    try:
        yield
    except (NeatDeltaError, KeyboardInterrupt, SystemExit, GeneratorExit):
        raise
    except MemoryError as error:
        raise InvalidInput(f"{what} (more than the memory of this computer holds)", file=file, hint=hint) from error
    except BaseException as error:
        words = " ".join(str(error).split())[:200] or type(error).__name__
        if "Panic" in type(error).__name__:  # (whose words are for those who have its source)
            words = "its parts contradict each other"
        raise InvalidInput(f"{what} ({words})", file=file, hint=hint) from error

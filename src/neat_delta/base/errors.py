"""Everything a person can cause to go wrong, as one tree.

NeatDeltaError
├── InvalidInput        a file cannot be read as a table, or as one of our own files
│   ├── InvalidSettings     a file of settings has mistakes; all of them
│   └── NetworkError        a file at an address cannot be had, or not whole
├── InvalidOption       an option does not fit the files (a field, type or folder that will not do)
├── ExpressionError     a formula or a condition cannot be computed (its room words it; callers say whose it is)
│   └── TooLarge            a number in it becomes too large to be exact
├── AmbiguousKey        no column can be taken as the key without asking
├── NotInstalled        a package is missing that only some need
├── LiveMismatch        a change set was made from another live export
├── NotApproved         a person must approve this first, or an approval does not hold
├── WriteError          the update cannot be expressed or stored
├── DeliveryError       an update cannot be sent, was refused, or has been sent before
└── ProofFailed         the files written do not give the edited catalogue
"""

from __future__ import annotations

from typing import Any

from neat_delta.base.redact import redacted

# A message can be read whole, whatever a file or an option holds: so many characters of it are said.
LONGEST_VALUE, LONGEST_WHAT = 200, 2_000


def shortened(text: str, most: int = LONGEST_VALUE) -> str:
    """A text for a message: its beginning, and how long it is."""
    return text if len(text) <= most else f"{text[:most]}… ({len(text):,} characters)"


class NeatDeltaError(Exception):
    """A problem with its place and its hint; the command line turns it into text and exit code 2.

    ``what`` is a sentence without its full stop; ``file`` is a path, an address or a name.
    ``line`` counts from 1, the header row included. ``code`` says to programs what it is, and ``data`` what it is
    about; the command line knows by the code which of its options would help.
    """

    code = "error"
    option: str | None = None
    """The argument that does not fit, by its name in the code."""

    def __init__(
        self,
        what: str,
        *,
        file: object = None,
        line: int | None = None,
        column: str | None = None,
        value: str | None = None,
        hint: str | None = None,
        **data: Any,
    ) -> None:
        super().__init__(what)
        self.code = str(data.pop("code", self.code))
        self.data = data
        self.what = what
        self.file = file
        self.line = line
        self.column = column
        self.value = value
        self.hint = hint

    def __str__(self) -> str:
        return self.text(self.option, self.hint)

    def text(self, option: str | None, hint: str | None) -> str:
        """Place, problem and hint in one line; the option as it is called where this is read."""
        place = [
            (shortened(self.file) if isinstance(self.file, str) else str(self.file or "")),
            f"line {self.line}" if self.line is not None else "",
            f"column {shortened(self.column)}" if self.column is not None else "",
        ]
        value = None if self.value is None else shortened(self.value)
        if option is not None:
            place.append(option if value is None else f"{option} {value}")
        elif value is not None:
            place.append(f"value {value!r}")
        where, what = ", ".join(filter(None, place)), shortened(self.what, LONGEST_WHAT)
        text = f"{where}: {what}" if where else what
        return redacted(f"{text}. {hint}" if hint else text)


class InvalidInput(NeatDeltaError):
    """A file that cannot be read as what it should be."""

    code = "invalid-input"


class InvalidSettings(InvalidInput):
    """A file of settings with mistakes; ``mistakes`` are all of them, each with its line."""

    code = "invalid-settings"

    def __init__(self, mistakes: list[InvalidInput]) -> None:
        first = mistakes[0]
        super().__init__(
            first.what,
            file=first.file,
            line=first.line,
            column=first.column,
            value=first.value,
            hint=first.hint,
        )
        self.mistakes = sorted(mistakes, key=lambda mistake: mistake.line or 0)

    def __str__(self) -> str:
        return "\n".join(map(str, self.mistakes))


class NetworkError(InvalidInput):
    """A file at an address that cannot be had, or not whole."""

    code = "network"


class InvalidOption(NeatDeltaError):
    """An option that does not fit the files at hand; ``option`` names it, ``value`` is what was given."""

    code = "invalid-option"

    def __init__(self, what: str, *, option: str | None = None, **place: Any) -> None:
        super().__init__(what, **place)
        self.option = option


class AmbiguousKey(NeatDeltaError):
    """No column can be taken as the key without asking."""

    code = "ambiguous-key"


class NotInstalled(NeatDeltaError):
    """A package is missing that only some need; ``data["extra"]`` is the extra that brings it."""

    code = "not-installed"

    def __init__(self, what: str, *, option: str | None = None, **place: Any) -> None:
        super().__init__(what, **place)
        self.option = option


class LiveMismatch(NeatDeltaError):
    """A change set meets a live export that it was not made from."""

    code = "live-mismatch"


class NotApproved(NeatDeltaError):
    """A change set that a person must approve first, or whose approval does not hold."""

    code = "approval"


class WriteError(NeatDeltaError):
    """The update cannot be expressed in the shop's form, or not stored where it was asked for."""

    code = "write-error"


class DeliveryError(NeatDeltaError):
    """An update cannot be sent, was refused, or has been sent before."""

    code = "delivery-error"


class ProofFailed(NeatDeltaError):
    """The files written, read back and applied, do not give exactly the edited catalogue."""

    code = "proof-failed"

"""Names with a date in them that changes from day to day: "kelp-{date:%Y-%m-%d}.csv"."""

from __future__ import annotations

import re
from datetime import datetime, timedelta

from neat_delta.base.errors import InvalidOption

# {date}, {date-1}, {date:%d.%m.%Y}: the day of today or so many days off, in a form as of strftime (C, POSIX).
PLACEHOLDER = re.compile(r"\{date(?P<days>[+-]\d{1,4})?(?::(?P<form>[^{}]*))?\}")
ISO = "%Y-%m-%d"
DIRECTIVES = re.compile(r"%[YymdHMSjVGubB]|[^%]")


def with_dates(text: str, now: datetime | None = None) -> str:
    """The text with each ``{date}`` as the date of today, in local time; other braces stay.

    Raises:
        InvalidOption: the form of a date is none.
    """
    today = now or datetime.now().astimezone()

    def written(match: re.Match[str]) -> str:
        form = match["form"] or ISO
        if "".join(DIRECTIVES.findall(form)) != form:
            raise InvalidOption(
                f"{form!r} is no form for a date",
                file=text,
                hint="Example: {date:%Y-%m-%d}; %Y year, %m month, %d day, %H hour, %M minute, %V week.",
            )
        return (today + timedelta(days=int(match["days"] or 0))).strftime(form)

    return PLACEHOLDER.sub(written, text)

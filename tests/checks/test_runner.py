import re
from pathlib import Path

from neat_delta.checks import CHECKS
from neat_delta.views.overrides import override_option

DOCS = Path(__file__).parent.parent.parent / "docs"


def test_the_page_of_checks_lists_every_check_as_it_is():
    text = (DOCS / "checks.md").read_text("utf-8")
    rows = re.findall(r"^\| ([^|]+) \| ([^|]+) \| (.+?) \| (?:`(.+)`|–) \|$", text, re.MULTILINE)

    assert rows == [
        (check.name, check.level, check.about, override_option(check.name, check.override)) for check in CHECKS
    ]


def test_every_check_has_a_name_of_its_own():
    assert len({check.name for check in CHECKS}) == len(CHECKS)

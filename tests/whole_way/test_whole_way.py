"""A shop with every feature at once goes the whole way; what must be is said by a reference that knows no program."""

import pytest

from helpers import examples
from whole_way.shops import example_of
from whole_way.way import goes_the_whole_way

# Seeds of shops that broke a promise once: links that did not follow new SKUs in an edited file.
FOUND = (1004, 1005, 1006)


@pytest.mark.parametrize("seed", [*FOUND, *range(examples(1))])
def test_a_shop_with_everything_goes_the_whole_way(tmp_path, seed):
    goes_the_whole_way(tmp_path, example_of(seed))

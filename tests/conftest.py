"""Settings for all tests."""

import os

from hypothesis import settings

# How long an example takes is no concern of a test: machines differ. Timings belong to benchmarks/.
settings.register_profile("untimed", deadline=None, max_examples=60)
settings.load_profile("untimed")

# Each test's history lies in the folder in which it works.
os.environ["NEAT_DELTA_DATA"] = "."

"""Settings for all tests."""

from hypothesis import settings

# How long an example takes is no concern of a test: machines differ. Timings belong to benchmarks/.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")

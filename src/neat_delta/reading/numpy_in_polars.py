"""Polars made ready for NumPy's arrays by one thread, before there are several; imported for that alone.

Polars takes NumPy in when it meets a first array. Of two threads that bring it one at that moment, the second may find
Polars' stand-in for NumPy half replaced, and fail with a ``TypeError``. What is imported is done once, and waited for.
"""

import numpy as np
import polars as pl

pl.Series(np.empty(0))

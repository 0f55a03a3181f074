"""The Python API: what the command line does, for programs; tables in, change sets and files out.

Everything here raises errors of one tree, ``NeatDeltaError``, prints nothing, and keeps no state, so that threads may
use it at once.
"""

"""The jobs: a request in, a result out; command line, scheduled runs and the Python API lead to the same ones."""

"""The window.

PySide wraps Python's import to watch for its `__feature__` switches: it reads the source of every module that is
imported after it, 20 ms of the start and a third of the time that NumPy and SciPy take to load. Nothing here uses these
switches, so the import from before them is put back.
"""

import builtins

import PySide6.QtCore  # noqa: F401

if builtins.__import__ is getattr(builtins, "__feature_import__", None):
    builtins.__import__ = getattr(builtins, "__orig_import__")  # noqa: B009 (nobody has declared it)

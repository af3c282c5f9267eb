"""Lengths in and out, instruments, uncertainty, verdicts: the words every other layer speaks.

Nothing here needs NumPy, so that the first screen can be painted without it.
"""

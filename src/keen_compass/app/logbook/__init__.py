"""The logbook: what happened, one value's history, and files out and in."""

"""A controller’s listing, beside what the logbook knows of it."""

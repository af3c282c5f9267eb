"""The whole shop at one look."""

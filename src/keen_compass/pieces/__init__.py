"""Test pieces: their shape, what is measured on them, and the path of the tool that makes them."""

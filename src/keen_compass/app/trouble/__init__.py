"""What is wrong with parts, and what may be behind it."""

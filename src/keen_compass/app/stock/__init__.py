"""Stock and tools: the kerfs of a machine by material, thickness and what cuts."""

"""Simulated machines with hidden faults. They read the very files that we write."""

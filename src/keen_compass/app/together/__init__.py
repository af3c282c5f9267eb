"""Everything that was read on a machine, in one picture."""

"""Whole rounds on stand-ins, the demo shop, a walk from wrong to right: the only place that knows simulators."""

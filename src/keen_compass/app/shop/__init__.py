"""Machines and instruments: what the shop has."""

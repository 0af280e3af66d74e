"""Refining: energy, freeness, power."""

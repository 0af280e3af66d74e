"""Moves: what was set, because of what, what it was to do, and what it did."""

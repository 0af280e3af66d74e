"""Yard: piles, lots, logs and chips, cane, the blend for the next hours."""

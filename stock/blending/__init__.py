"""Blending: furnish shares, brightness, additives."""

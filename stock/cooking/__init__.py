"""Cooking: liquor arithmetic, H-factor, the end point."""

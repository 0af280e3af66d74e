"""Consistency and flow: mass bases, dilution, mixing, density, residence."""

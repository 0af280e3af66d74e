"""Recovered paper: ink floated off, washed, thickened."""

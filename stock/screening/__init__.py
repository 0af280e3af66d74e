"""Screening: reject rates, removal, what is lost."""

"""Judgement: what a reading means and what to do about it."""

"""Bleaching: charge, dosing, tower time, brightness."""

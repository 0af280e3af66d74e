"""Delivery: what the machine asks for."""

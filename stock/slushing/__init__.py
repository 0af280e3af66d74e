"""Slushing bales and broke."""

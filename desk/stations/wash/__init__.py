"""Washing: the line as a staircase, what it shows, how much water it should have, hand and laboratory beside each other."""

"""The simulated outside: a plant and a laboratory for the demonstration. Nothing here runs a real plant."""

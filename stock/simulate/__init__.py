"""The living plant: a line that runs, built from its definition."""

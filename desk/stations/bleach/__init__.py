"""Bleaching and water: a sequence as it runs, worked out as it is typed; what comes to it; where the water goes."""

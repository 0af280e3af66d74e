"""The mill's own models, fitted to its own results, with their uncertainty."""

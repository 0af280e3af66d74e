"""The pages of the cook station."""

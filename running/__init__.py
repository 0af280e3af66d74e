"""Running Fox Vat's parts together: nothing here needs more than Python itself."""

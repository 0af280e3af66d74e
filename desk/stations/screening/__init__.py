"""Screens and cleaners: the cascade as it is, worked out as it is typed; what two counts say of it."""

"""Water: what comes in fresh, what goes round, what builds up, what leaves."""

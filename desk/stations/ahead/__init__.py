"""The look ahead: every vessel over the next hours, what if, when a change arrives, how good it was."""

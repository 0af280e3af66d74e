"""The line: its definition, its balance, its drawing."""

"""The policy document: its model, its published schema, and reading it with the place of every error."""

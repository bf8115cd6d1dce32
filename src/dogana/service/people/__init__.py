"""People: signing in, passwords, tokens, who may do what, and who sits for whom."""

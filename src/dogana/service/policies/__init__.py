"""Policies: drafted, adopted, in force, held beside each other, rehearsed over what is on record."""

"""Seats: who may sit where, and the fullest assignment of the people who have said yes."""

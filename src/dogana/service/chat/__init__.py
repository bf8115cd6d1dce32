"""Rooms in which people talk: what is posted there, and what they say in answer."""

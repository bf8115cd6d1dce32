"""Telling people: who is concerned by what, when each of them is told, and what they answer."""

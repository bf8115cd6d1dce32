"""Shared calendars: taken in from files and addresses, given out as files and as a feed."""

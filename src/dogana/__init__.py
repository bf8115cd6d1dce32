"""Dogana: the desk of a release approver."""

__version__ = "0.1.0"

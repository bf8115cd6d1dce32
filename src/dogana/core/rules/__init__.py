"""The rule kinds: one module each, one registry.

A kind is a document class with its parameters, a check that gives a finding, and the sentence in it.
"""

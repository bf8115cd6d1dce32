"""The use cases: one verb, one transaction each.

Each loads what it needs, calls the core, and stores the new state together with its ledger entry.
"""

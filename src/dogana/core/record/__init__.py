"""The record: canonical bytes, the Merkle tree over them, signed checkpoints, verification.

Nothing here reads a clock or a database; keys come in as arguments.
"""
